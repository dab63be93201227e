import type http from 'node:http';
import type { ProxyName } from '../../src/core/proxies/names.ts';

/** What a server does with a request. In headers and bodies `{name}`, `{http}`, `{https}`, `{service}`, `{target}` and `{path}` are filled in. */
export type Does =
  | 'page'
  | 'passes'
  | 'hangs'
  | 'closes'
  | 'garbles'
  | 'streams'
  | 'events'
  | 'hints'
  | { passesTo: 'tides' }
  | { answers: number; headers?: http.OutgoingHttpHeaders; body?: string }
  | { cutsAfter: string }
  | { frontError: number }
  | { slowly: number; then: Does }
  | { turns: Does[] }
  | { when: Condition; then: Does; otherwise: Does };

/** @property has header name and what its value must match @property host whether the public name was asked for */
export interface Condition {
  has?: [string, string];
  publicName?: boolean;
  method?: string;
  target?: string;
}

export interface CertificateSpec {
  names?: string[];
  from?: string;
  to?: string;
  by?: 'intermediate' | 'stranger' | 'itself' | 'outdated';
  sends?: 'leaf' | 'swapped' | 'crossed';
  key?: 'ec' | 'rsa-1024' | 'rsa-2048';
  hash?: 'SHA-256' | 'SHA-1';
  use?: 'server' | 'client';
  /** It must come with a word of its authority. */
  mustStaple?: boolean;
}

/** A port on which nothing of the web speaks. */
export type Raw = 'http10' | 'closes' | 'silent' | 'banner' | 'stalls';

/** A front that a person set up by hand, in Node. */
export interface NodeFront {
  /** What it does for the road on HTTPS, and on plain HTTP. */
  https?: Does;
  http?: Does;
  /** The same for names that are not on the map. */
  strangers?: Does;
  plainStrangers?: Does;
  certificate?: CertificateSpec | 'none';
  tls?: { min?: 'TLSv1' | 'TLSv1.2' | 'TLSv1.3'; max?: 'TLSv1.1' | 'TLSv1.2'; ciphers?: string; alpn?: string[] };
  speaksTwo?: boolean;
  /** Whether WebSockets pass. Default: yes. */
  passesUpgrade?: boolean;
  rawHttps?: Raw | 'plain' | 'nobody';
  rawHttp?: Raw | 'tls' | 'nobody';
  /** Shown to those who name nothing. */
  showsToAll?: boolean;
}

/** Pieces of a sound configuration that somebody wrote by hand for nginx; what is given takes the place of its own. */
export interface NginxFront {
  protocols?: string;
  default443?: string;
  default80?: string;
  plain?: string;
  /** In the HTTPS server of the road. */
  nestcam?: string;
  certificate?: CertificateSpec | 'of-tides';
  /** About the size of uploads. Default: any. */
  uploads?: string;
  listen?: string;
  extra?: string;
}

/** The same for haproxy. */
export interface HaproxyFront {
  /** How the TLS listener is bound, behind its certificates. */
  bind?: string;
  /** Rules of the two frontends. */
  plain?: string;
  secure?: string;
  /** The server of the road. */
  nestcam?: string;
  defaults?: string;
}

/** The same for httpd. */
export interface HttpdFront {
  default443?: string;
  default80?: string;
  plain?: string;
  /** In the virtual host of the road. */
  nestcam?: string;
  server?: string;
}

export interface Service {
  does?: Does;
  /** Listens with TLS. */
  tls?: boolean | CertificateSpec;
  /** Whether it takes WebSockets: and echoes, or says nothing. */
  live?: 'echoes' | 'every second';
  raw?: Raw | 'nobody';
}

/**
 * An edge network: how it speaks to the front, and what it does beside what it should.
 *
 * @property drops headers of requests that it does not pass on @property names what it says of the visitor; null for nothing
 * @property host the Host that it sends @property path what it replaces in targets, and by what @property withholds headers of answers that it keeps
 * @property fails every so many requests are answered by itself, with 503
 */
export interface Edge {
  speaks: 'http' | 'https';
  drops?: string[];
  names?: string | null;
  host?: string;
  path?: [string, string];
  withholds?: string[];
  passesUpgrade?: boolean;
  fails?: number;
}

/** A row of the table: how the working installation is changed, and what must be said of it. */
export interface Row {
  name: string;
  /** The one finding that is an error or a warning; null when all is well. */
  rule: string | null;
  severity?: 'error' | 'warning';
  /** A part of its sentence. */
  says?: string;
  /** More keys of the road on the map; `{tides}` is the port of the other service. */
  road?: string;
  to?: string;
  /** The road of all other names, if the map has it. */
  others?: string;
  addresses?: string[];
  /** Records of the road's name; a word for what the name server does instead. */
  records?: string[] | 'nothing' | 'refuses' | 'silent' | 'fails' | 'bogus';
  /** The same for the wildcard. */
  ofOthers?: string[] | 'nothing';
  service?: Service;
  node?: NodeFront;
  /** What is different at the second address. */
  second?: NodeFront;
  nginx?: NginxFront;
  haproxy?: HaproxyFront;
  httpd?: HttpdFront;
  /** The front that Mile Marker writes or serves itself, from this map. */
  own?: ProxyName;
  /** An edge network in front of the front that Mile Marker serves, and how it speaks to it. */
  edge?: Edge;
  /** A certificate that lies here for the road. */
  held?: CertificateSpec;
  /** More lines of the map. */
  map?: string;
  /** The Compose file that the map names, and what it becomes once the front runs. */
  compose?: { before: string; then: string };
  argv?: string[];
  login?: boolean;
}

/** As people write them: nginx's own wildcard, which is not as strict as a certificate's. */
export const wildServers = `server { listen 127.0.0.1:{http}; server_name *.saltmarsh.example; return 301 https://$host:{https}$request_uri; }
  server { listen 127.0.0.1:{https} ssl http2; server_name *.saltmarsh.example;
    ssl_certificate {own}/nestcam.pem; ssl_certificate_key {own}/nestcam.key;
    location / { proxy_pass http://127.0.0.1:{service}; proxy_set_header Host $host; } }`;
