/** The number of an edition as people and folders write it. */
export function editionNumber(number: number): string {
  return String(number).padStart(4, '0');
}
