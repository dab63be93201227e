import { hostOf, portOf, webUrl } from '../names/web-url.ts';
import type { mapValueWrong } from './cards.ts';
import type { Leads, Protocol, RawLeads } from './site-map.ts';
import { inUrl, parseAddress } from '../networks/address.ts';
import { parseHostName } from '../names/host-name.ts';

type Say = keyof typeof mapValueWrong.messages;

export type LeadsResult = { ok: true; leads: Leads } | { ok: false; say: Say; data: Record<string, string> };

const wrong = (say: Say, data: Record<string, string>): LeadsResult => ({ ok: false, say, data });

/**
 * Reads the value of `to`: `[PROJECT/]SERVICE[@MACHINE]:PORT`, `:PORT`, or `http(s)://HOST[:PORT]`.
 * Service names follow the Compose Specification (letters, digits, `.`, `_`, `-`).
 */
export function parseTo(typed: string): LeadsResult {
  const text = typed.trim();
  if (/^[a-z][a-z0-9+.-]*:\/\//i.test(text)) return parseOrigin(text);
  const match = /^(?:([a-zA-Z0-9][\w.-]*)\/)?([a-zA-Z0-9][\w.-]*)?(?:@([a-zA-Z0-9][\w-]*))?(?::(\d+))?$/.exec(text);
  if (match === null) return slipOf(text);
  const [, project = null, service, machine = null, digits] = match;
  if (service === undefined && (digits === undefined || project !== null || machine !== null))
    return wrong('to-form', { text });
  if (service !== undefined && digits === undefined) {
    return parseAddress(service) === null ? wrong('to-port-missing', { text }) : wrong('to-address', { text });
  }
  const port = Number(digits);
  if (port < 1 || port > 65_535) return wrong('port-range', { text: digits ?? '' });
  if (service === undefined) return { ok: true, leads: { kind: 'port', port } };
  if (service === 'localhost' || /^127(\.\d+){3}$/.test(service))
    return wrong('to-loopback', { text, port: String(port) });
  if (parseAddress(service) !== null) return wrong('to-address', { text });
  return { ok: true, leads: { kind: 'service', project, service, machine, port } };
}

/** Reads the value of `to` of a raw port: as for a road, but another machine is `tcp://HOST:PORT`, or `udp://`. */
export function parseRawTo(
  text: string,
  protocol: Protocol,
): { ok: true; leads: RawLeads } | Extract<LeadsResult, { ok: false }> {
  const slip = (say: Say): Extract<LeadsResult, { ok: false }> => ({ ok: false, say, data: { text, protocol } });
  const scheme = /^([a-z][a-z0-9+.-]*):\/\//i.exec(text.trim())?.[1]?.toLowerCase();
  if (scheme === undefined) {
    const read = parseTo(text);
    if (read.ok && (read.leads.kind === 'service' || read.leads.kind === 'port'))
      return { ok: true, leads: read.leads };
    return read.ok || read.say === 'to-address' || read.say === 'to-form' ? slip('raw-address') : read;
  }
  const match = /^(?:tcp|udp):\/\/(\[[0-9a-f:.]+\]|[^\s:/@[\]]+):(\d{1,5})$/i.exec(text.trim());
  const [, host = '', digits = ''] = match ?? [];
  const name = parseHostName(host);
  const address = parseAddress(host);
  const port = Number(digits);
  if (scheme !== protocol || match === null || port < 1 || port > 65_535) return slip('raw-address');
  if (name.ok && name.name.ascii === 'localhost')
    return { ok: false, say: 'to-loopback', data: { text, port: digits } };
  if (address === null && !name.ok) return slip('raw-address');
  return { ok: true, leads: { kind: 'endpoint', host: address ?? (name.ok ? name.name.ascii : host), port } };
}

function slipOf(text: string): LeadsResult {
  const loopback = /^\[?::1\]?:(\d+)$/.exec(text);
  if (loopback !== null) return wrong('to-loopback', { text, port: loopback[1] ?? '' });
  const bracketed = /^(\[[0-9a-f:.]+\])(:\d+)?$/i.exec(text);
  if (bracketed !== null && parseAddress(bracketed[1] ?? '') !== null) return wrong('to-address', { text });
  return wrong('to-form', { text });
}

function parseOrigin(text: string): LeadsResult {
  const url = webUrl(text);
  const shown = withoutSecrets(text);
  if (url === null) return wrong('url-form', { key: 'to', text: shown });
  if (
    url.pathname !== '/' ||
    url.search !== '' ||
    url.hash !== '' ||
    url.username !== '' ||
    url.password !== '' ||
    /[?#]$/.test(text)
  ) {
    return wrong('url-path', { text: shown, origin: url.origin });
  }
  if (url.hostname === 'localhost') return wrong('to-loopback', { text, port: String(portOf(url)) });
  const scheme = url.protocol === 'https:' ? 'https' : 'http';
  return { ok: true, leads: { kind: 'url', scheme, host: hostOf(url), port: portOf(url) } };
}

/** Reads the value of `redirect`: a URL whose path, without slashes at its end, is put before the request's own. */
export function parseRedirect(text: string, permanent: boolean): LeadsResult {
  const url = webUrl(text);
  const shown = withoutSecrets(text);
  if (url === null) return wrong('url-form', { key: 'redirect', text: shown });
  if (url.search !== '' || url.hash !== '' || url.username !== '' || url.password !== '' || /[?#]$/.test(text)) {
    return wrong('redirect-extra', { text: shown });
  }
  const host = hostOf(url);
  const authority = url.port === '' ? inUrl(host) : `${inUrl(host)}:${url.port}`;
  const prefix = `${url.protocol}//${authority}${url.pathname.replace(/\/+$/, '')}`;
  return { ok: true, leads: { kind: 'redirect', url: prefix, permanent } };
}

/** A user and password in a URL are not repeated in messages, which people paste into forums. */
function withoutSecrets(text: string): string {
  return text.replace(/\/\/[^/]*@/, '//...@');
}
