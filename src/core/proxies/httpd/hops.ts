import { withPort } from '../../networks/address.ts';
import { dialledParts } from '../../plan/parts.ts';
import type { Plan } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { digestOf } from '../digest.ts';
import type { WrittenFile } from '../renderer.ts';
import { answersPath } from './answers.ts';
import { comment, escapeSubstitution, ownHeader, quote, quoteRewrite, rewrite, section } from './quote.ts';
import { pathLines } from './serving.ts';
import { originOf, workerLines } from './workers.ts';

/**
 * httpd checks the certificate of a service against the name that its own visitor asked for, and nothing else. So a service that must prove who it is is gone to by
 * way of a server on the machine itself, at the address of the mark, that is asked for by the name in the certificate. Whoever can ask that one can as well
 * dial the service.
 */
interface Hop {
  id: string;
  upstream: Upstream;
  /** The authority or its roots. */
  file: string;
}

/** Null for a service that is dialled directly, and for one that httpd cannot prove: by a key of its own, or by another authority than a road before it. */
export function hopOf(plan: Plan, upstream: Upstream): Hop | null {
  const hop = wanted(plan, upstream);
  return hop === null || hopsOf(plan).get(placeOf(hop))?.id !== hop.id ? null : hop;
}

function wanted({ host }: Plan, upstream: Upstream): Hop | null {
  const { scheme, trust, verifyAs } = upstream;
  if (scheme === 'http' || trust.kind === 'none' || trust.kind === 'pin') return null;
  const file = trust.kind === 'ca' ? trust.file : host.trustedRoots;
  if (file === null) return null;
  return { id: digestOf(`${originOf(upstream)} ${verifyAs ?? ''} ${file}`), upstream, file };
}

/** httpd keeps one proof for a service in a server, and a server has one name. */
function placeOf({ upstream }: Hop): string {
  return `${originOf(upstream)} ${upstream.verifyAs ?? ''}`;
}

const made = new WeakMap<Plan, ReadonlyMap<string, Hop>>();

/** The first of the map at each place. */
function hopsOf(plan: Plan): ReadonlyMap<string, Hop> {
  const before = made.get(plan);
  if (before !== undefined) return before;
  const hops = new Map<string, Hop>();
  for (const { upstream } of dialledParts(plan.roads)) {
    const hop = wanted(plan, upstream);
    if (hop !== null && !hops.has(placeOf(hop))) hops.set(placeOf(hop), hop);
  }
  made.set(plan, hops);
  return hops;
}

/** Where the servers of all hops listen. */
export function hopOrigin({ front: { mark } }: Plan): string {
  return `http://${withPort(mark.address, mark.port)}`;
}

/** Headers from one server to the other. */
export const hopHeaders = { id: 'X-Mile-Marker-Hop', host: 'X-Mile-Marker-Host' };

export function hopFiles(plan: Plan, current: string): WrittenFile[] {
  const byName = new Map<string, Hop[]>();
  for (const hop of hopsOf(plan).values()) {
    const name = hop.upstream.verifyAs ?? '';
    byName.set(name, [...(byName.get(name) ?? []), hop]);
  }
  const servers = [...byName].flatMap(([name, own]) => hopServer(plan, current, name, own));
  return [
    {
      path: hopFile,
      content: [`${ownHeader}: services with checked certificates.`, ...servers, ''].join('\n'),
    },
  ];
}

export const hopFile = 'hops.conf';

function hopServer(plan: Plan, current: string, name: string, hops: readonly Hop[]): string[] {
  const { mark } = plan.front;
  const [first] = hops;
  if (first === undefined) return [];
  return section('VirtualHost', withPort(mark.address, mark.port), [
    `ServerName ${name}`,
    ...pathLines(plan),
    'ProxyPreserveHost On',
    'ProxyAddHeaders Off',
    'SSLProxyEngine On',
    `RequestHeader set Host "expr=%{req_novary:${hopHeaders.host}}"`,
    ...Object.values(hopHeaders).map((header) => `RequestHeader unset ${header}`),
    ...[500, 503].map((status) => `ErrorDocument ${String(status)} /.mile-marker/502`),
    ...rewrite(
      [['%{ENV:REDIRECT_STATUS}', '.']],
      quoteRewrite(`${escapeSubstitution(`${current}/${answersPath}`)}/502.asis`),
      'L,H=send-as-is',
    ),
    ...hops.flatMap(({ id, upstream, file }) => [
      ...section('Proxy', quote(originOf(upstream)), [
        ...workerLines(plan, upstream, plan.limits.liveSeconds),
        'SSLProxyVerify require',
        'SSLProxyVerifyDepth 4',
        'SSLProxyCheckPeerName on',
        `SSLProxyCACertificateFile ${quote(file)}`,
      ]),
      ...rewrite(
        [[`%{HTTP:${hopHeaders.id}}`, `=${id}`]],
        quoteRewrite(`${escapeSubstitution(originOf(upstream))}%{ENV:mm_path}`),
        'P,NE,L',
      ),
    ]),
    comment('Only for this service.'),
    ...rewrite([], '-', 'R=404,L'),
  ]);
}
