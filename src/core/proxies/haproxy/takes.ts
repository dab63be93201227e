import type { Sent } from '../../rehearsal/sent.ts';
import type { Verdict } from '../../verdict/verdict.ts';
import type { Taking } from '../program.ts';

/** Which requests haproxy takes otherwise than the verdict, by its declared differences. */
export function takes(sent: Sent, verdict: Verdict): Taking | null {
  const { host, target, version, method, headers } = sent;
  const has = (name: string): boolean => headers.some(([one]) => one.toLowerCase() === name);
  const authority = /^https?:\/\/([^/?#]*)/i.exec(target)?.[1];
  if (version === '2.0' && host.length > 1) return { by: 'authority', as: { ...sent, host: host.slice(0, 1) } };
  if (version !== '2.0' && authority !== undefined && authority.replace(/:$/, '') !== host[0])
    return { by: 'absolute-form', status: 400 };
  if (host.length === 2 && host[0] === host[1]) return { by: 'equal-hosts', as: { ...sent, host: host.slice(1) } };
  const [length, chunks] = [has('content-length'), has('transfer-encoding')];
  if (length && chunks)
    return { by: 'two-lengths', as: { ...sent, headers: headers.filter(([name]) => !/^content-length$/i.test(name)) } };
  const isBare = version === '2.0' && ['POST', 'PUT', 'PATCH'].includes(method) && !length;
  if (verdict.act === 'forward' && verdict.bodyLimitBytes !== null && (chunks || isBare))
    return { by: 'unannounced-body', status: 411 };
  return null;
}
