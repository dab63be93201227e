/** One line of what `npm run bench` says. */
export interface Row {
  what: string;
  found: string;
  limit: string;
  passed: boolean;
}

export function reportRow({ what, found, limit, passed }: Row): void {
  process.stdout.write(`${what.padEnd(46)} ${found.padEnd(48)} ${passed ? '' : 'PAST '}${limit}\n`);
}
