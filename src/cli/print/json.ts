/** One versioned document. `format` says what it is, `version` changes when an older reader would misread it. */
export function jsonDocument(format: string, content: Record<string, unknown>): string {
  return `${JSON.stringify({ format: `mile-marker-${format}`, version: 1, ...content }, null, 2)}\n`;
}
