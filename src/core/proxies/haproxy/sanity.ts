import { longestHeadBytes, longestLineBytes, mostHeaderLines } from '../hardening.ts';
import { usualMethods } from '../../verdict/steps/before-road.ts';
import { singular } from '../../verdict/verdict.ts';
import { soundHost } from '../pattern.ts';
import { comment, quote } from './quote.ts';

/** A path climbs at most so deep before it comes back; what goes deeper is refused, whatever it leads to. */
const mostDeep = 16;

/** 3. Nothing malformed reaches a service, see the verdict's step of this name. */
export function sanityLines(): string[] {
  const refuse = (condition: string, status = 400): string =>
    `http-request return status ${String(status)} if ${condition}`;
  // The line ends with the version, and a header's name stands before its value.
  const most = String(longestLineBytes - ' HTTP/1.1\r\n'.length);
  return [
    `acl absolute-form url -m reg -i ${quote('^https?://')}`,
    comment('What follows the authority alone counts (RFC 9112 §3.2.2), and goes on in the form that services expect.'),
    `http-request set-uri ${quote('%[pathq]')} if !HTTP_2.0 absolute-form { pathq -m beg / }`,
    `http-request set-uri ${quote('/%[pathq]')} if !HTTP_2.0 absolute-form !{ pathq -m beg / }`,
    comment('Nothing malformed reaches a service.'),
    refuse(`{ url,length gt ${most} }`, 414),
    refuse(`{ req.hdrs,length gt ${String(longestHeadBytes)} }`, 431),
    refuse(`{ req.fhdr_cnt gt ${String(mostHeaderLines)} }`, 431),
    refuse(`{ req.hdrs,length gt ${most} } { req.hdrs -m reg ${quote(`[^\\r\\n]{${most}}`)} }`, 431),
    `http-request return status 405 hdr Allow ${quote(usualMethods.join(', '))} if { method CONNECT TRACE }`,
    refuse(`!{ method -m reg ${quote('^[A-Z_-]+$')} }`),
    refuse(`{ req.fhdr_cnt(host) gt 1 }`),
    refuse(`!{ req.fhdr(host) -m reg ${quote(`^${soundHost}$`)} }`),
    refuse(`!{ pathq -m reg ${quote('^/[\\x21\\x22\\x24-\\x7e]*$')} }`),
    refuse(`{ path -m reg -i ${quote('%(?![0-9a-f]{2})|%00')} }`),
    ...climbingLines(refuse),
    refuse('{ req.fhdr_cnt(transfer-encoding) gt 0 } { req.fhdr_cnt(content-length) gt 0 }'),
    refuse(`{ req.fhdr_cnt(transfer-encoding) gt 0 } !{ req.fhdr(transfer-encoding) -m str -i chunked }`, 501),
    ...singular.map((name) => refuse(`{ req.fhdr_cnt(${name}) gt 1 }`)),
  ];
}

/**
 * Paths above their root. First what stands for a dot or a slash, then what means nothing, then each segment with the `..` that takes it back; a `..` that is
 * left leads out.
 */
function climbingLines(refuse: (condition: string) => string): string[] {
  const set = (expression: string): string => `http-request set-var(txn.path) ${quote(expression)} if has-dots`;
  const pair = 'var(txn.path),regsub("/(?!\\.\\.(?:/|$))[^/]+/\\.\\.(?=/|$)","",g)';
  return [
    'acl has-dots path -m sub .. %2e %2E',
    set('path,regsub("%2e",".",gi),regsub("%2f","/",gi),regsub("(?:/\\.?)(?=/|$)","",g)'),
    ...Array.from({ length: mostDeep }, () => set(pair)),
    refuse(`has-dots { var(txn.path) -m reg ${quote('/\\.\\.(?:/|$)')} }`),
  ];
}
