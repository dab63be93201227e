import { deviceCheckOf, isRefused } from '../../gates/devices.ts';
import { noDevice } from '../../gates/kind.ts';
import { asksForLive, type Sent } from '../../rehearsal/sent.ts';
import { authorityOn } from '../../verdict/forwarded.ts';
import { singular, type Prepared, type Verdict } from '../../verdict/verdict.ts';
import type { Taking } from '../program.ts';

/** Which requests httpd takes otherwise than the verdict, by its declared differences. */
export function takes(sent: Sent, verdict: Verdict, prepared: Prepared): Taking | null {
  if (verdict.act === 'no-handshake') return null;
  if (asksForDevice(sent, prepared)) {
    if (isRefused(sent.device ?? noDevice))
      return { by: 'devices', verdict: { act: 'close', because: verdict.because } };
    const other = otherName(sent, verdict, prepared);
    // Two names that ask alike are one to it, since what was shown counts for both.
    if (other !== null && asksForDevice({ ...sent, sni: other }, prepared))
      return { by: 'device-connection', as: { ...sent, sni: other } };
    if (other !== null) return { by: 'device-connection', status: 421 };
  }
  const { listener, target, version, method, headers } = sent;
  if (sent.host[0]?.endsWith(':') === true) return { by: 'empty-port', status: 400 };
  const has = (name: string): boolean => headers.some(([one]) => one.toLowerCase() === name);
  const [, scheme, rest = ''] = /^(https?):\/\/[^/?#@]*(?![^/?#]*@)(.*)$/i.exec(target) ?? [];
  // Of a target for the other listener its host does not count.
  if (scheme !== undefined && scheme.toLowerCase() !== listener && sent.host.length === 0)
    return { by: 'absolute-form', status: 400 };
  if (scheme !== undefined && scheme.toLowerCase() !== listener && sent.host.length === 1)
    return { by: 'absolute-form', as: { ...sent, target: rest.startsWith('/') ? rest : `/${rest}` } };
  if (version === '2.0' && sent.host.length > 1)
    return { by: 'authority', as: { ...sent, host: sent.host.slice(0, 1) } };
  const said = headers.filter(([name, value], at) => value !== '' || !follows(headers, name, at));
  if (version === '2.0' && said.length < headers.length) return { by: 'empty-line', as: { ...sent, headers: said } };
  const [length, chunks] = [has('content-length'), has('transfer-encoding')];
  if (length && chunks)
    return { by: 'two-lengths', as: { ...sent, headers: headers.filter(([name]) => !/^content-length$/i.test(name)) } };
  const expects = headers.find(([name]) => name.toLowerCase() === 'expect')?.[1].toLowerCase() ?? '100-continue';
  if (expects !== '100-continue' && verdict.because[0]?.step !== 'sanity') return { by: 'expectations', status: 417 };
  const joined = joinedLines(headers);
  if (joined.length < headers.length) return { by: 'several-lines', as: { ...sent, headers: joined } };
  if (isStranger(sent, verdict, prepared)) return { by: 'strangers', status: 421 };
  const isBare = version === '2.0' && ['POST', 'PUT', 'PATCH'].includes(method) && !length;
  if (verdict.act === 'forward' && verdict.bodyLimitBytes !== null && (chunks || isBare))
    return { by: 'unannounced-body', status: 411 };
  if (verdict.act === 'forward' && asksForLive(sent))
    return { by: 'live-answer', verdict: { ...verdict, answer: { drop: [], set: [], defaults: [] } } };
  const own = ownRedirect(sent, verdict, prepared);
  return own === null ? null : { by: 'own-redirects', verdict: own };
}

/** By the name in the handshake, before anything is asked for. */
function asksForDevice({ listener, sni }: Sent, { roadOf, shownTo }: Prepared): boolean {
  const road = listener === 'http' || sni === null ? null : roadOf(shownTo(sni).name);
  return road !== null && deviceCheckOf(road.gate) !== null;
}

/** The name of a road that is asked for on a connection of another name; null where it is the same, or none. */
function otherName({ host, sni }: Sent, verdict: Verdict, { askedFor, shownTo }: Prepared): string | null {
  const asked = askedFor(host[0] ?? '')?.road?.name;
  if (asked === undefined || verdict.because[0]?.step === 'sanity') return null;
  return asked === shownTo(sni ?? '').name ? null : asked;
}

/** Whether a line stands behind another of its name. */
function follows(headers: Sent['headers'], name: string, at: number): boolean {
  return headers.slice(0, at).some(([one]) => one.toLowerCase() === name.toLowerCase());
}

/** It writes no `Location` without a host. */
function ownRedirect({ host, listener }: Sent, verdict: Verdict, { askedFor, plan }: Prepared): Verdict | null {
  const road = askedFor(host[0] ?? '')?.road ?? null;
  if (road === null || verdict.act !== 'answer' || verdict.location?.startsWith('/') !== true) return null;
  return {
    ...verdict,
    location: `${listener}://${authorityOn(road, listener, plan.front.ports)}${verdict.location}`,
  };
}

/** It cannot end a connection without an answer, and answers nobody by a certificate that is another name's. */
function isStranger({ listener, host, sni }: Sent, verdict: Verdict, { askedFor, shownTo }: Prepared): boolean {
  if (verdict.act === 'close') return true;
  if (listener === 'http' || verdict.because[0]?.step !== 'unknown-name') return false;
  const asked = askedFor(host[0] ?? '');
  const own = asked === null ? null : shownTo(asked.host).certificate;
  return own === null || own !== shownTo(sni ?? '').certificate;
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
