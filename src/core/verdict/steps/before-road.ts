import { tokenIn } from '../../certificates/challenge.ts';
import { deviceCheckOf, deviceWords, isRefused, refusedDevice } from '../../gates/devices.ts';
import { noDevice } from '../../gates/kind.ts';
import { deviceOf } from '../gate.ts';
import { isWildcard } from '../../names/wildcard.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import { longestLineBytes, mostHeaderLines } from '../../front-limits.ts';
import type { Context } from '../context.ts';
import { isSoundTarget } from '../target.ts';
import { singular, type HeadSize } from '../verdict.ts';
import { answer, lineOf, nobodyLine, nothingSet, type Step, type Taken } from './step.ts';

/** RFC 6066 §3. No name, or one that no certificate covers or the map does not have: no certificate is shown at all. */
export const handshake = {
  name: 'handshake',
  take: takeHandshake,
  passing: ({ request, prepared, shown, road }) =>
    request.listener === 'http'
      ? { words: 'plain HTTP has none', mapLine: 0 }
      : {
          words: `the certificate \`${shown?.certificate ?? ''}\` is shown`,
          mapLine: road?.where.line ?? prepared.plan.front.where.line,
        },
  deciding: ({ shown }) => `${shown === null ? 'without a name' : `for ${shown.name}`} no certificate is shown`,
} as const satisfies Step;

function takeHandshake({ request, shown, prepared }: Context): Taken | null {
  if (request.listener === 'http' || shown?.admitted === true) return null;
  return { act: { act: 'no-handshake' }, mapLine: prepared.plan.front.where.line };
}

/** RFC 7239 §8.1. Stops nobody: what it finds is the client of every step, see client.ts. It keeps its place, since every proxy keeps this order. */
export const trueAddress = {
  name: 'true-address',
  take: () => null,
  passing: ({ client, request, prepared }) => {
    const mapLine = prepared.plan.front.where.line;
    if (!client.known)
      return { words: `the edge at ${client.by} does not say who the visitor is: he is in no network`, mapLine };
    return client.address === request.peer
      ? { words: `the visitor is ${client.address}`, mapLine: 0 }
      : { words: `the edge says that the visitor is ${client.address}`, mapLine };
  },
} as const satisfies Step;

/** RFC 9112 §3.2 (Host), RFC 9110 §9.3.6 and §9.3.8 (CONNECT, TRACE). Malformed requests are refused here. */
export const sanity = {
  name: 'sanity',
  take: takeSanity,
  passing: () => ({ words: 'the request is well-formed', mapLine: 0 }),
  deciding: () => 'the request is malformed, or its method is never allowed',
} as const satisfies Step;

/** What is allowed where a road says nothing else. */
export const usualMethods = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS'] as const;

function takeSanity({ request, host, target, road }: Context): Taken | null {
  if (isTooLong(request.method.length + request.target.length)) return refused(414);
  const { lines, longest, hasRepeated } = request.headSize ?? sizeOf(request.headers);
  if (lines > mostHeaderLines || isTooLong(longest)) return refused(431);
  if (request.method === 'CONNECT' || request.method === 'TRACE')
    return refused(405, { allow: allowedOn(road).join(', ') });
  // RFC 9110 §9.1: methods are told apart by case, and every one that is registered is in capitals.
  if (request.method !== 'GET' && !/^[A-Z_-]+$/.test(request.method)) return refused(400);
  const coding = request.headers['transfer-encoding'];
  if (host === null || !isSoundTarget(target)) return refused(400);
  // RFC 9112 §6.1: with both, front and service may differ in where the body ends, which smuggles a request past the gate.
  if (coding !== undefined && request.headers['content-length'] !== undefined) return refused(400);
  if (hasRepeated && singular.some((name) => (request.headers[name]?.length ?? 0) > 1)) return refused(400);
  return isUnknownCoding(coding) ? refused(501) : null;
}

function refused(status: number, headers: Record<string, string> = {}): Taken {
  return { act: answer(status, headers), mapLine: nobodyLine };
}

/** A line of a head, with room for the blanks and signs that belong to it: more does not fit into what servers read one into. */
function isTooLong(length: number): boolean {
  return length + ' HTTP/1.1\r\n'.length > longestLineBytes;
}

function sizeOf(headers: Context['request']['headers']): HeadSize {
  const size = { lines: 0, longest: 0, hasRepeated: false };
  for (const name in headers)
    for (const [index, value] of (headers[name] ?? []).entries()) {
      size.lines += 1;
      size.longest = Math.max(size.longest, name.length + value.length);
      if (index > 0) size.hasRepeated = true;
    }
  return size;
}

/** RFC 9110 §10.2.1: what the road takes. */
function allowedOn(road: PlannedRoad | null): readonly string[] {
  const hasFolder = road?.parts.some(({ leads }) => leads.kind === 'folder') === true;
  return road?.rules.methods ?? (hasFolder ? ['GET', 'HEAD'] : usualMethods);
}

/** RFC 9112 §6.1: a coding that is not known is not implemented. */
function isUnknownCoding(lines: readonly string[] | undefined): boolean {
  return lines !== undefined && (lines.length > 1 || lines[0]?.toLowerCase() !== 'chunked');
}

/** RFC 8555 §8.3: a pending token of this name, on plain HTTP, before gates and redirects; nothing else is answered here. */
export const acmeChallenge = {
  name: 'acme-challenge',
  take: takeAcmeChallenge,
  passing: () => ({ words: 'not a challenge of an authority', mapLine: 0 }),
} as const satisfies Step;

function takeAcmeChallenge({ request, road, target }: Context): Taken | null {
  const { challenge = null, listener, method } = request;
  if (road === null || challenge === null || listener !== 'http' || tokenIn(target) === null) return null;
  if (method !== 'GET' && method !== 'HEAD') return null;
  const headers = { 'content-type': 'text/plain' };
  return { act: { act: 'answer', status: 200, headers, body: challenge }, mapLine: road.where.line };
}

/** A name that is not on the map: `front.unknown`. RFC 9110 §15.5.20 for a shared HTTP/2 connection. */
export const unknownName = {
  name: 'unknown-name',
  take: takeUnknownName,
  passing: ({ road }) => ({ words: onMap(road), mapLine: road?.where.line ?? 0 }),
  deciding: () => 'the name is not on the map',
} as const satisfies Step;

function takeUnknownName({ road, prepared, request }: Context): Taken | null {
  if (road !== null) return null;
  const { unknown, where } = prepared.plan.front;
  const mapLine = where.line;
  switch (unknown.act) {
    case 'refuse':
      return { act: request.httpVersion === '2.0' ? answer(421) : { act: 'close' }, mapLine };
    case 'not-found':
      return { act: { ...answer(404), page: 'unknown' }, mapLine };
    case 'redirect':
      return { act: { act: 'answer', status: 307, location: unknown.url, headers: {} }, mapLine };
  }
}

function onMap(road: PlannedRoad | null): string {
  if (road === null) return '';
  return isWildcard(road.display) ? `${road.name} is one of the other names` : `${road.display} is on the map`;
}

/** RFC 9110 §7.4: the certificate shown must cover the name asked for. */
export const misdirected = {
  name: 'misdirected',
  take: takeMisdirected,
  passing: () => ({ words: 'the name fits the certificate', mapLine: 0 }),
  deciding: () => 'the certificate that was shown is not for this name',
} as const satisfies Step;

function takeMisdirected({ request, shown, road, host }: Context): Taken | null {
  if (request.listener === 'http' || road === null) return null;
  // Certificates of devices were asked for by the name in the handshake: a request for another name brings none that was.
  const isMeant = shown?.certificate === road.certificate && (shown.name === host || deviceCheckOf(road.gate) === null);
  return isMeant ? null : { act: answer(421), mapLine: road.where.line };
}

/** A certificate of a device that is not good is refused on every path of a name that asks for one, whatever else may let somebody pass. */
export const device = {
  name: 'device',
  take: takeDevice,
  passing: ({ request, road }) => {
    const device = deviceOf(request);
    if (road === null || deviceCheckOf(road.gate) === null) return nothingSet;
    const words = device.state === 'good' ? `it shows the certificate of ${device.name}` : 'it shows no certificate';
    return { words, mapLine: lineOf(road, 'gate') };
  },
  deciding: ({ request: { device = noDevice } }) => (device.state === 'good' ? '' : deviceWords[device.state]),
} as const satisfies Step;

function takeDevice({ request, road }: Context): Taken | null {
  const device = deviceOf(request);
  if (road === null || !isRefused(device) || deviceCheckOf(road.gate) === null) return null;
  const act = { ...answer(403), page: 'refused', body: refusedDevice[device.state] } as const;
  return { act, mapLine: lineOf(road, 'gate') };
}

/** RFC 9110 §15.4.9: 308 keeps method and body; the target is kept byte for byte. */
export const plainHttp = {
  name: 'plain-http',
  take: takePlainHttp,
  passing: ({ request, road }) =>
    request.listener === 'https' || road === null
      ? { words: 'it came over HTTPS', mapLine: 0 }
      : { words: 'also served on plain HTTP', mapLine: lineOf(road, 'plain') },
} as const satisfies Step;

function takePlainHttp({ request, road, target }: Context): Taken | null {
  if (request.listener === 'https' || road === null || road.rules.plain) return null;
  const location = `https://${road.authority}${target}`;
  return { act: { act: 'answer', status: 308, location, headers: {} }, mapLine: road.where.line };
}
