import { longestHeadBytes, longestLineBytes, mostHeaderLines } from '../../front-limits.ts';
import { usualMethods } from '../../verdict/steps/before-road.ts';
import { singular } from '../../verdict/verdict.ts';
import { soundHost } from '../pattern.ts';
import { comment, quote } from './quote.ts';

/** A path climbs at most so deep before it comes back; what goes deeper is refused, whatever it leads to. */
const mostDeep = 16;

/** Nothing malformed reaches a service, see the verdict's step of this name. */
export function sanityLines(): string[] {
  const refuse = (condition: string, status = 400): string =>
    `http-request return status ${String(status)} if ${condition}`;
  // The line ends with the version, and a header's name stands before its value.
  const most = String(longestLineBytes - ' HTTP/1.1\r\n'.length);
  return [
    `acl absolute-form url -m reg -i ${quote('^https?://')}`,
    comment('Refuses targets of another scheme, with a user, or without a host before the path.'),
    refuse('!{ url -m beg / } !absolute-form !{ method CONNECT }'),
    refuse(`absolute-form { url -m reg -i ${quote('^https?://(?:[^/?#]*@|[/?#]|$)')} }`),
    comment(
      'A WebSocket over HTTP/2 (RFC 8441) is made one of HTTP/1 before any rule sees it, and is no method of a road.',
    ),
    `http-request return status 405 hdr Allow ${quote(usualMethods.join(', '))} if HTTP_2.0 { req.fhdr(upgrade) -m found }`,
    comment('Takes path and query out of an absolute target (RFC 9112 §3.2.2): services expect them alone.'),
    `http-request set-uri ${quote('%[pathq]')} if !HTTP_2.0 absolute-form { pathq -m beg / }`,
    `http-request set-uri ${quote('/%[pathq]')} if !HTTP_2.0 absolute-form !{ pathq -m beg / }`,
    comment('Malformed requests are refused here.'),
    refuse(`{ url,length gt ${most} }`, 414),
    refuse(`{ req.hdrs,length gt ${String(longestHeadBytes)} }`, 431),
    refuse(`{ req.fhdr_cnt gt ${String(mostHeaderLines)} }`, 431),
    refuse(`{ req.hdrs,length gt ${most} } { req.hdrs -m reg ${quote(`[^\\r\\n]{${most}}`)} }`, 431),
    refuse(`{ req.hdrs -m reg ${quote('\\x00')} }`),
    refuse(`!{ req.fhdr(host) -m reg ${quote(`^${soundHost}$`)} }`),
    refuse('{ req.fhdr_cnt(transfer-encoding) gt 0 } { req.fhdr_cnt(content-length) gt 0 }'),
    refuse(`{ req.fhdr_cnt(transfer-encoding) gt 0 } !{ req.fhdr(transfer-encoding) -m str -i chunked }`, 501),
    refuse(`{ req.hdr_names(:) -m reg ${quote(`(?:^|:)(?<one>host|${singular.join('|')})(?::.*)?:\\k<one>(?::|$)`)} }`),
    comment('Shortcut for nearly every request: a usual method, and a path without escapes or "..".'),
    `http-request set-var(txn.plain) bool(true) if { method ${usualMethods.join(' ')} } { pathq -m reg ${quote(plainTarget)} }`,
    `http-request return status 405 hdr Allow ${quote(usualMethods.join(', '))} if ${unlessPlain} { method CONNECT TRACE }`,
    refuse(`${unlessPlain} !{ method -m reg ${quote('^[A-Z_-]+$')} }`),
    refuse(`${unlessPlain} !{ pathq -m reg ${quote('^/[\\x21\\x22\\x24-\\x7e]*$')} }`),
    refuse(`${unlessPlain} { path -m reg -i ${quote('%(?![0-9a-f]{2})|%00')} }`),
    ...climbingLines(refuse),
  ];
}

const unlessPlain = '!{ var(txn.plain) -m found }';
const plainTarget = '^/(?:[A-Za-z0-9_~/-]|\\.(?!\\.))*(?:\\?[\\x21\\x22\\x24-\\x7e]*)?$';

/**
 * Paths above their root. First what stands for a dot or a slash, then what means nothing, then each segment with the `..` that takes it back; a `..` that is
 * left leads out.
 */
function climbingLines(refuse: (condition: string) => string): string[] {
  const pair = 'regsub("/(?!\\.\\.(?:/|$))[^/]+/\\.\\.(?=/|$)","",g)';
  const bare = 'path,regsub("%2e",".",gi),regsub("%2f","/",gi),regsub("(?:/\\.?)(?=/|$)","",g)';
  const whole = [bare, ...Array.from({ length: mostDeep }, () => pair)].join(',');
  return [
    `http-request set-var(txn.path) ${quote(whole)} if ${unlessPlain} { path -m sub .. %2e %2E }`,
    refuse(`{ var(txn.path) -m reg ${quote('/\\.\\.(?:/|$)')} }`),
  ];
}
