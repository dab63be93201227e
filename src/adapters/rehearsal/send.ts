import { asksForLive, type Outcome, type Sent } from '../../core/rehearsal/sent.ts';
import type { Pair } from '../certificates/make.ts';
import { sendHttp2 } from './http2.ts';
import { sendRaw } from './raw.ts';

/** Where a front listens. */
export interface Front {
  address: string;
  http: number;
  https: number;
}

/** Sends one request just as it is written, and reads what comes back. Certificates are not judged. @param device what its device shows */
export async function send(sent: Sent, { address, ...ports }: Front, device: Pair | null = null): Promise<Outcome> {
  const { listener, method, target, version, from, headers, body } = sent;
  if (version === '2.0') return sendHttp2({ address, port: ports.https, sent, device });
  const upgrade = headers.find(([name]) => name.toLowerCase() === 'upgrade');
  const lines = [
    `${method} ${target} HTTP/${version}`,
    ...sent.host.map((value) => `Host: ${value}`),
    ...headers.map(([name, value]) => `${name}: ${value}`),
    ...(upgrade === undefined ? ['Connection: close'] : []),
  ];
  const secure = listener === 'https' ? { tls: { servername: sent.sni, device } } : {};
  // An upgrade leaves the connection open, so its answer is known by its last bytes.
  const endings = upgrade === undefined ? {} : { until: asksForLive(sent) ? '\r\n\r\n' : '\n' };
  const text = `${lines.join('\r\n')}\r\n\r\n${body ?? ''}`;
  return sendRaw({ address, port: ports[listener], text, from, ...secure, ...endings });
}
