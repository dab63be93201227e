import { asksForLive, type Sent } from '../../rehearsal/sent.ts';
import { singular, type Verdict } from '../../verdict/verdict.ts';
import type { Taking } from '../program.ts';

/** Which requests httpd takes otherwise than the verdict, by its declared differences. */
export function takes(sent: Sent, verdict: Verdict): Taking | null {
  const { listener, target, version, method, headers } = sent;
  const has = (name: string): boolean => headers.some(([one]) => one.toLowerCase() === name);
  const [, scheme, rest = ''] = /^(https?):\/\/[^/?#]*(.*)$/i.exec(target) ?? [];
  // Of a target for the other listener its host does not count.
  if (scheme !== undefined && scheme.toLowerCase() !== listener && sent.host.length === 0)
    return { by: 'absolute-form', status: 400 };
  if (scheme !== undefined && scheme.toLowerCase() !== listener && sent.host.length === 1)
    return { by: 'absolute-form', as: { ...sent, target: rest.startsWith('/') ? rest : `/${rest}` } };
  const [length, chunks] = [has('content-length'), has('transfer-encoding')];
  if (length && chunks)
    return { by: 'two-lengths', as: { ...sent, headers: headers.filter(([name]) => !/^content-length$/i.test(name)) } };
  const joined = joinedLines(headers);
  if (joined.length < headers.length) return { by: 'several-lines', as: { ...sent, headers: joined } };
  if (verdict.act === 'close') return { by: 'strangers', status: 421 };
  const isBare = version === '2.0' && ['POST', 'PUT', 'PATCH'].includes(method) && !length;
  if (verdict.act === 'forward' && verdict.bodyLimitBytes !== null && (chunks || isBare))
    return { by: 'unannounced-body', status: 411 };
  if (verdict.act === 'forward' && asksForLive(sent))
    return { by: 'live-answer', verdict: { ...verdict, answer: { drop: [], set: [], defaults: [] } } };
  return null;
}

/** Lines that stand once are one line, with commas, when there are several. */
function joinedLines(headers: Sent['headers']): Sent['headers'] {
  const joined: Array<[string, string]> = [];
  for (const [name, value] of headers) {
    const isOnce = (singular as readonly string[]).includes(name.toLowerCase());
    const before = isOnce ? joined.find(([one]) => one.toLowerCase() === name.toLowerCase()) : undefined;
    if (before === undefined) joined.push([name, value]);
    else before[1] = `${before[1]}, ${value}`;
  }
  return joined;
}
