/**
 * Control characters, and marks that turn the direction of writing (UAX #9 §2): titles, certificates, redirects and logs come from others, and a
 * terminal would obey them. What this program writes itself may stay: new lines, tabs, and the colours of `style`.
 */
const obeyed =
  /(\u001b\[(?:[12]|22|3[1-69])m)|[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]/g;

/** Text that a terminal only shows: what it would obey stands there as `\u001b`, which JSON reads as the same character. */
export function harmless(text: string): string {
  return text.replace(obeyed, (found, own: string | undefined) =>
    own === undefined ? `\\u${found.charCodeAt(0).toString(16).padStart(4, '0')}` : found,
  );
}
