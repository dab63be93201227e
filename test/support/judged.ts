import type { Answer, Attempt, Failure } from '../../src/core/legs/answer.ts';
import type { LegResult } from '../../src/core/legs/leg.ts';

/** What came back, as evidence for the judgements of legs, and what came of it in one line. */

export const failed = (kind: Failure['kind'], more: Partial<Failure> = {}): Attempt<never> => ({
  ok: false,
  failure: { kind, reason: `it is ${kind}`, ...more },
});
export function answered(status: number, body = '', headers: Record<string, string> = {}): Attempt<Answer> {
  return { ok: true, value: { status, headers: Object.entries(headers), body } };
}
export const page = (title: string): string => `<title>${title}</title><p>${title} of the salt marsh</p>`;
export const ownError = (status: number): Attempt<Answer> =>
  answered(
    status,
    `<html>\r\n<head><title>${String(status)} Error</title></head>\r\n<body>\r\n<center><h1>${String(status)} Error</h1></center>\r\n<hr><center>nginx</center>\r\n</body>\r\n</html>\r\n`,
    { server: 'nginx' },
  );

export function told({ leg, outcome, kind, problems }: LegResult): string {
  const said = problems.map(({ card, say }) => `${card.id}/${say}`);
  return [`${leg} ${outcome} ${kind}`, ...said].join(' ');
}
