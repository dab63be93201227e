/** The part of the package that makes a code; the others draw it, as pictures and in terminals. */
declare module 'qrcode/lib/core/qrcode.js' {
  export function create(
    content: string | ReadonlyArray<{ data: string; mode: 'alphanumeric' | 'byte' }>,
    options: { errorCorrectionLevel: 'L' | 'M' | 'Q' | 'H' },
  ): { modules: { size: number; get: (row: number, column: number) => number | boolean } };
}
