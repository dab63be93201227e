/** A moment as a person says it: `30 November 2026, 06:30 UTC`. @param at milliseconds since the epoch, or ISO 8601 */
export function moment(at: number | string): string {
  const date = new Date(at);
  return `${dayOf(date)}, ${date.toISOString().slice(11, 16)} UTC`;
}

const months = 'January February March April May June July August September October November December'.split(' ');

export function dayOf(date: Date): string {
  return `${String(date.getUTCDate())} ${months[date.getUTCMonth()] ?? ''} ${String(date.getUTCFullYear())}`;
}

/** How long ago, in the largest unit of which there are two: `25 minutes`. */
export function since(millis: number): string {
  if (millis < 60_000) return 'less than a minute';
  const units: Array<[string, number]> = [
    ['day', 86_400_000],
    ['hour', 3_600_000],
    ['minute', 60_000],
  ];
  const [name, size] = units.find(([, length]) => millis >= 2 * length) ?? ['minute', 60_000];
  const count = Math.floor(millis / size);
  return `${String(count)} ${name}${count === 1 ? '' : 's'}`;
}
