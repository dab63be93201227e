/** Values with a unit. A bare number is refused where a unit is needed: 30 could be seconds or minutes. */

const seconds = { s: 1, m: 60, h: 3600, d: 86_400 } as const;
const bytes = { B: 1, KiB: 1024, MiB: 1024 ** 2, GiB: 1024 ** 3 } as const;

export const durationForm = /^[1-9]\d{0,8}[smhd]$/;
export const sizeForm = /^[1-9]\d{0,8}(B|KiB|MiB|GiB)$/;
export const rateForm = /^[1-9]\d{0,6}\/[smh]( burst [1-9]\d{0,6})?$/;

/** Seconds of `90s`, `15m`, `2h`, `30d`, or null. */
export function parseDuration(text: string): number | null {
  if (!durationForm.test(text)) return null;
  return Number(text.slice(0, -1)) * seconds[text.slice(-1) as keyof typeof seconds];
}

/** A time as the map writes it, in the largest unit that says it whole: `90s`, `2m`, `1h`. @param ms milliseconds */
export function durationText(ms: number): string {
  if (ms % 1000 !== 0) return `${String(ms)}ms`;
  const [unit, size] = Object.entries(seconds)
    .reverse()
    .find(([, one]) => (ms / 1000) % one === 0) ?? ['s', 1];
  return `${String(ms / 1000 / size)}${unit}`;
}

/** Bytes of `10MiB` and the like (binary prefixes, IEC 80000-13), or null. */
export function parseSize(text: string): number | null {
  if (!sizeForm.test(text)) return null;
  const unit = text.replace(/^\d+/, '') as keyof typeof bytes;
  return Number.parseInt(text, 10) * bytes[unit];
}

/** A size as the map writes it, in the largest unit that says it whole: `10MiB`. */
export function sizeText(size: number): string {
  const [unit, one] = Object.entries(bytes)
    .reverse()
    .find(([, each]) => size % each === 0) ?? ['B', 1];
  return `${String(size / one)}${unit}`;
}

/** Requests allowed per `perSeconds`, and how many more may come at once. */
export interface Rate {
  requests: number;
  perSeconds: number;
  burst: number;
}

/** `20/s`, `20/s burst 40`, or null. Without `burst` as many as the rate itself. */
export function parseRate(text: string): Rate | null {
  if (!rateForm.test(text)) return null;
  const [rate = '', burst] = text.split(' burst ');
  const [requests = '', unit = 's'] = rate.split('/');
  const perSeconds = seconds[unit as 's' | 'm' | 'h'];
  return { requests: Number(requests), perSeconds, burst: Number(burst ?? requests) };
}
