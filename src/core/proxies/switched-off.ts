/** Stands above what is switched off. */
const mark = '# Switched off by `mile-marker install --replace`; `mile-marker undo front` brings it back.';

/** The text with these lines turned into comments, counted from one, both ends included. All else stays byte for byte. */
export function commentedOut(text: string, parts: ReadonlyArray<{ line: number; end: number }>): string {
  const written = text.split('\n').flatMap((line, index) => {
    const part = parts.find((one) => index + 1 >= one.line && index + 1 <= one.end);
    if (part === undefined) return [line];
    return [...(part.line === index + 1 ? [mark] : []), `# ${line}`];
  });
  return written.join('\n');
}

/** Whether a file is one that was switched off in part. */
export function isSwitchedOff(text: string): boolean {
  return text.includes(mark);
}
