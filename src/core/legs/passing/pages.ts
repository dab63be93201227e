import { isPrivate } from '../../networks/address.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import type { Upstream } from '../../plan/upstream.ts';
import { headerOf, headersOf, isRedirect, type Answer } from '../answer.ts';
import type { Problem } from '../leg.ts';
import { cookieOpen, showsInside } from '../service/service-cards.ts';

/** Where a service sends its visitors, and what it makes their browsers keep: all that shows whether it knows its public URL. */
export function pageProblem(road: PlannedRoad, upstream: Upstream, answer: Answer): Problem | null {
  return inwardRedirect(road, upstream, answer) ?? inwardLink(road, upstream, answer) ?? openCookie(road, answer);
}

function inwardRedirect(road: PlannedRoad, upstream: Upstream, answer: Answer): Problem | null {
  const location = headerOf(answer, 'location');
  if (!isRedirect(answer.status) || location === null) return null;
  const way = inwardWay(road, upstream, location);
  if (way === null) return null;
  const data = { location, origin: `https://${road.authority}` };
  return { card: showsInside, say: way, data, cause: `inside:${location}` };
}

/** Tags with an absolute URL: what a page loads and sends to, and what it leads to. */
const links =
  /<(a|link|script|img|form|iframe|source|base)\b[^>]*?\s(?:href|src|action)\s*=\s*["']?(https?:\/\/[^"'\s>]+)/gi;

function inwardLink(road: PlannedRoad, upstream: Upstream, answer: Answer): Problem | null {
  if (!/html/i.test(headerOf(answer, 'content-type') ?? '')) return null;
  for (const [, tag = '', location = ''] of answer.body.matchAll(links)) {
    const way = inwardWay(road, upstream, location);
    if (way === null || (tag.toLowerCase() === 'a' && !isItself(road, upstream, location))) continue;
    const data = { location: location.slice(0, 120), origin: `https://${road.authority}` };
    const say = way === 'plain' ? 'plain-page' : 'page';
    return { card: showsInside, say, data, cause: `inside:${new URL(location).origin}` };
  }
  return null;
}

/** A page of links may well lead to other devices at home; what must not be is that a service leads to itself there. */
function isItself({ name }: PlannedRoad, { host, port }: Upstream, location: string): boolean {
  const url = new URL(location);
  return url.hostname === name || (url.hostname === host && Number(url.port) === port);
}

/** In which way an absolute URL is of no use to visitors, or null. */
function inwardWay(road: PlannedRoad, upstream: Upstream, location: string): 'inside' | 'plain' | 'port' | null {
  if (!/^https?:\/\//i.test(location)) return null;
  let url: URL;
  try {
    url = new URL(location);
  } catch {
    return null;
  }
  const host = url.hostname.replace(/^\[|\]$/g, '');
  const isName = !/^[\d.]+$/.test(host) && !host.includes(':');
  if (isName ? host === upstream.host || host === 'localhost' || !host.includes('.') : isPrivate(host)) return 'inside';
  if (host !== road.name) return null;
  if (url.protocol === 'http:' && !road.rules.plain) return 'plain';
  const [, port = '443'] = /:(\d+)$/.exec(road.authority) ?? [];
  return url.protocol === 'https:' && (url.port === '' ? '443' : url.port) !== port ? 'port' : null;
}

/** Names of cookies that stand for a person. A choice of language that goes over in the open is nobody's loss. */
const personal = /sess|sid$|auth|token|login|user|remember|jwt|csrf|xsrf/i;

function openCookie(road: PlannedRoad, answer: Answer): Problem | null {
  if (road.rules.plain) return null;
  const open = headersOf(answer, 'set-cookie').flatMap((line) => {
    const [pair = '', ...attributes] = line.split(';').map((part) => part.trim());
    const name = pair.split('=')[0] ?? '';
    const has = (word: string): boolean => attributes.some((one) => one.toLowerCase() === word);
    const isTaken = attributes.some((one) => /^(max-age=(0|-\d+)|expires=.* 1970 )/i.test(one));
    return !has('secure') && !isTaken && (has('httponly') || personal.test(name)) ? [name] : [];
  });
  if (open.length === 0) return null;
  const data = {
    cookies: [...new Set(open)].map((name) => `the cookie \`${name.slice(0, 60)}\``),
    origin: `https://${road.authority}`,
  };
  return { card: cookieOpen, say: 'session', data, cause: `cookie:${road.name}` };
}
