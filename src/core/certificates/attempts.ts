/**
 * One order that was tried.
 *
 * @property at ISO time @property trouble code of what went wrong, or null
 * @property notBefore ISO time until which the authority asked us to stay away, or null
 */
export interface Attempted {
  at: string;
  certificate: string;
  authority: string;
  trouble: string | null;
  notBefore: string | null;
}

/** As an authority is called in words: `staging`, `production`, or the host of another one. @param directory as the map has it */
export function shownAuthority(directory: string): string {
  return directory === 'staging' || directory === 'production' ? directory : new URL(directory).host;
}

/** The authority that the last successful order for each certificate went to. */
export function issuers(past: readonly Attempted[]): Map<string, string> {
  return new Map(
    past.filter(({ trouble }) => trouble === null).map(({ certificate, authority }) => [certificate, authority]),
  );
}

/** Whether the way must be proven with the staging authority first: until the production one has issued it once. */
export function needsTrial(directory: string, past: readonly Attempted[], id: string): boolean {
  const issued = past.some((one) => one.certificate === id && one.authority === 'production' && one.trouble === null);
  return directory === 'production' && !issued;
}

/** Until when an authority asked us to stay away, or null. @param now milliseconds since the epoch */
export function askedToWait(past: readonly Attempted[], authority: string, now: number): Date | null {
  const own = past.filter((one) => one.authority === authority);
  const until = Math.max(0, ...own.map(({ notBefore }) => (notBefore === null ? 0 : Date.parse(notBefore))));
  return until > now ? new Date(until) : null;
}

const hourMs = 3_600_000;

/**
 * Whether a timer should leave a certificate alone for now: after a failure the pause doubles from an hour to a day, since an
 * authority counts tries, and a timer has no patience.
 *
 * @param now milliseconds since the epoch
 */
export function restsAfterFailure(past: readonly Attempted[], id: string, now: number): boolean {
  const own = past.filter(({ certificate }) => certificate === id);
  const failures = own.length - 1 - own.findLastIndex(({ trouble }) => trouble === null);
  const last = own[own.length - 1];
  if (last === undefined || failures === 0) return false;
  return now - Date.parse(last.at) < Math.min(24, 2 ** (failures - 1)) * hourMs;
}
