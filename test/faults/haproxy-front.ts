import type { Closing } from './node-front.ts';
import type { HaproxyFront } from './row.ts';
import { serverProgram, startServer, type FrontBed } from './server-front.ts';

/** Starts the real server on a sound configuration written by hand, with the pieces of a row in their place. */
export function startHaproxyFront(front: HaproxyFront, given: FrontBed): Promise<Closing> {
  return startServer({
    ...given,
    certificate: {},
    configuration: configuration(front),
    program: serverProgram('haproxy', 'haproxy'),
    argv: (file) => ['-db', '-f', file],
  });
}

function configuration({ bind, plain, secure, nestcam, defaults }: HaproxyFront): string {
  return `global
  maxconn 200
defaults
  mode http
  option forwardfor
  timeout connect 2s
  timeout client 30s
  timeout server 30s
  timeout tunnel 1h
  ${defaults ?? ''}
frontend plain
  bind 127.0.0.1:{http}
  http-request set-var(txn.host) req.hdr(host),field(1,:),lower
  ${plain ?? 'http-request reject unless { var(txn.host) -m end .saltmarsh.example } !{ var(txn.host) -m beg nobody }\n  http-request redirect location https://%[var(txn.host)]:{https}%[pathq] code 301'}
frontend secure
  bind 127.0.0.1:{https} ssl crt {own}/nestcam.both crt {own}/tides.both ${bind ?? 'strict-sni ssl-min-ver TLSv1.2 alpn h2,http/1.1'}
  http-request set-header X-Forwarded-Proto https
  ${secure ?? ''}
  use_backend tides if { hdr_beg(host) -i tides }
  default_backend nestcam
backend nestcam
  ${nestcam ?? 'server one 127.0.0.1:{service}'}
backend tides
  server one 127.0.0.1:{tides}
`;
}
