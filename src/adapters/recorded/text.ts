/** Bytes that were written down as hexadecimal digits. */
export function textOf(hex: string): string {
  return Buffer.from(hex, 'hex').toString('latin1');
}
