import { isUnder } from '../../names/host-name.ts';

/** A cookie as an answer sets it (RFC 6265 §4.1). @property domain null where it is for the host alone */
export interface Cookie {
  name: string;
  value: string;
  path: string | null;
  domain: string | null;
  secure: boolean;
}

/** No page needs more of them to be judged. */
const mostCookies = 20;

/** Reads the lines of `Set-Cookie` as browsers do (RFC 6265 §5.2); what has no name is none. */
export function cookiesOf(lines: readonly string[]): Cookie[] {
  return lines.slice(0, mostCookies).flatMap((line) => {
    const [pair = '', ...attributes] = line.split(';').map((one) => one.trim());
    const at = pair.indexOf('=');
    if (at < 1) return [];
    const of = (name: string): string | null => {
      const found = attributes.find((one) => one.toLowerCase().startsWith(`${name}=`));
      return found === undefined ? null : found.slice(name.length + 1).trim();
    };
    return [
      {
        name: pair.slice(0, at).slice(0, 80),
        value: pair.slice(at + 1, at + 80),
        path: of('path'),
        domain: of('domain')?.replace(/^\./, '').toLowerCase() ?? null,
        secure: attributes.some((one) => one.toLowerCase() === 'secure'),
      },
    ];
  });
}

/** What became of a cookie between the service and the visitor: `gone`, another `path`, without `Secure`, or for a `domain` that browsers refuse. */
export interface CookieChange {
  way: 'gone' | 'path' | 'open' | 'domain';
  name: string;
  found: string;
  wanted: string;
}

/**
 * How the cookies that visitors of a host get differ from those that the service sets.
 *
 * @param always what the service set each time that it was asked @param host the name that was asked for
 */
export function cookieChanges(always: readonly Cookie[], seen: readonly Cookie[], host: string): CookieChange[] {
  return always.flatMap((own): CookieChange[] => {
    const { name } = own;
    const found = seen.find((one) => one.name === name);
    if (found === undefined) return [{ way: 'gone', name, found: 'nothing', wanted: name }];
    const fits = (domain: string | null): boolean => domain === null || host === domain || isUnder(host, domain);
    if (!fits(found.domain) && found.domain !== own.domain)
      return [{ way: 'domain', name, found: found.domain ?? '', wanted: own.domain ?? host }];
    if (own.secure && !found.secure) return [{ way: 'open', name, found: 'without Secure', wanted: 'with Secure' }];
    if (own.path !== found.path)
      return [{ way: 'path', name, found: found.path ?? 'none', wanted: own.path ?? 'none' }];
    return [];
  });
}

/** A cookie for another host, which browsers do not keep (RFC 6265 §5.3, step 6). */
export function foreignCookie(seen: readonly Cookie[], host: string): Cookie | null {
  return seen.find(({ domain }) => domain !== null && host !== domain && !isUnder(host, domain)) ?? null;
}

/** A cookie that is new at each visit of the service, and the same for all who come through the front. */
export function sharedCookie(direct: readonly Cookie[][], front: readonly Cookie[][]): string | null {
  const [one = [], other = []] = direct;
  const [first = [], ...rest] = front;
  const changing = one.filter(({ name, value }) => other.some((also) => also.name === name && also.value !== value));
  const isSame = ({ name }: Cookie): boolean => {
    const value = first.find((also) => also.name === name)?.value;
    const others = rest.map((all) => all.find((also) => also.name === name)?.value);
    return value !== undefined && others.length > 0 && others.every((also) => also === value);
  };
  return changing.find(isSame)?.name ?? null;
}
