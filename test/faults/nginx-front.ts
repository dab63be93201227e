import { join } from 'node:path';
import { nginxProgram } from '../support/fronts.ts';
import type { Closing } from './node-front.ts';
import type { NginxFront } from './row.ts';
import { startServer, type FrontBed } from './server-front.ts';

/** Starts the real server on a sound configuration written by hand, with the pieces of a row in their place. Its errors go to `errors.log`. */
export function startNginxFront(front: NginxFront, given: FrontBed): Promise<Closing> {
  return startServer({
    ...given,
    certificate: front.certificate === 'of-tides' ? { names: [given.names.tides] } : (front.certificate ?? {}),
    configuration: configuration(front),
    program: nginxProgram(),
    argv: (file, own) => ['-c', file, '-e', join(own, 'errors.log'), '-g', 'daemon off;'],
  });
}

const passes = `proxy_http_version 1.1;
    proxy_set_header Host $http_host;
    proxy_set_header X-Forwarded-For $remote_addr;
    proxy_set_header X-Forwarded-Proto https;
    proxy_set_header Upgrade $http_upgrade;
    proxy_set_header Connection $marsh_connection;`;

function configuration({
  protocols,
  default443,
  default80,
  plain,
  nestcam,
  listen,
  extra,
  uploads,
}: NginxFront): string {
  return `pid {own}/pid;
worker_processes 1;
events {}
http {
  access_log off;
  error_log {own}/errors.log info;
  client_body_temp_path {own}/body; proxy_temp_path {own}/proxy;
  fastcgi_temp_path {own}/f; uwsgi_temp_path {own}/u; scgi_temp_path {own}/s;
  server_tokens off;
  ${uploads ?? 'client_max_body_size 0;'}
  map $http_upgrade $marsh_connection { default upgrade; '' ''; }
  ssl_protocols ${protocols ?? 'TLSv1.2 TLSv1.3'};
  ${extra ?? ''}
  ${default443 ?? 'server { listen 127.0.0.1:{https} ssl http2 default_server; ssl_reject_handshake on; }'}
  ${default80 ?? 'server { listen 127.0.0.1:{http} default_server; return 444; }'}
  server { listen 127.0.0.1:{http}; server_name {name} {tidesName};
    ${plain ?? 'return 301 https://$host:{https}$request_uri;'}
  }
  server { listen 127.0.0.1:${listen ?? '{https} ssl http2'}; server_name {name};
    ssl_certificate {own}/nestcam.pem; ssl_certificate_key {own}/nestcam.key;
    ${nestcam ?? `location / { proxy_pass http://127.0.0.1:{service}; ${passes} }`}
  }
  server { listen 127.0.0.1:${listen ?? '{https} ssl http2'}; server_name {tidesName};
    ssl_certificate {own}/tides.pem; ssl_certificate_key {own}/tides.key;
    location / { proxy_pass http://127.0.0.1:{tides}; ${passes} }
  }
}
`;
}
