import { modernSuites } from '../src/core/front-limits.ts';
import { usedModules } from '../src/core/proxies/httpd/renderer.ts';

/**
 * @property name of the road whose service answers only @property takes of the one that takes uploads and live connections
 * @property ports where each of their services is, and where the server is to listen
 */
export interface HandMade {
  name: string;
  takes: string;
  pair: { certificate: string; key: string };
  ports: { other: number; service: number; taker: number };
}

const said = {
  'Strict-Transport-Security': 'max-age=86400',
  'X-Content-Type-Options': 'nosniff',
  'X-Frame-Options': 'SAMEORIGIN',
  'Referrer-Policy': 'strict-origin-when-cross-origin',
};

/** As a careful person writes it, who wants bytes to pass as they come: the inside of nginx's `http { }`. */
export function nginxByHand({ name, takes, pair, ports }: HandMade): string[] {
  const { other, service, taker } = ports;
  const headers = {
    Host: name,
    Connection: '',
    Forwarded: `for=$remote_addr;host=${name};proto=https`,
    'X-Forwarded-For': '$remote_addr',
    'X-Forwarded-Host': name,
    'X-Forwarded-Port': String(other),
    'X-Forwarded-Proto': 'https',
    'X-Real-IP': '$remote_addr',
  };
  const proxied = [
    'proxy_http_version 1.1;',
    'proxy_buffering off;',
    'proxy_buffer_size 32k;',
    'proxy_buffers 8 32k;',
    'proxy_request_buffering off;',
    'client_max_body_size 0;',
    ...Object.entries(headers).map(([header, value]) => `proxy_set_header ${header} "${value}";`),
  ].join(' ');
  const added = Object.entries(said).map(([header, value]) => `add_header ${header} ${value} always;`);
  return [
    `upstream service { server 127.0.0.1:${String(service)}; keepalive 32; }`,
    `upstream taker { server 127.0.0.1:${String(taker)}; keepalive 32; }`,
    ...Object.entries({ [name]: 'service', [takes]: 'taker' }).map(
      ([one, to]) => `server { listen 127.0.0.1:${String(other)} ssl http2; server_name ${one}; server_tokens off;
        ssl_certificate ${pair.certificate}; ssl_certificate_key ${pair.key};
        ssl_protocols TLSv1.2 TLSv1.3; ssl_ciphers ${modernSuites.join(':')}; ssl_prefer_server_ciphers off; ssl_session_tickets off;
        ${added.join(' ')}
        location / { ${proxied} proxy_pass http://${to}; } }`,
    ),
  ];
}

/** The same for httpd. @param run folder that it may write to @param modules folder of its modules */
export function httpdByHand(
  { name, takes, pair, ports }: HandMade,
  run: string,
  modules: string,
  user: string | null,
): string {
  const { other, service, taker } = ports;
  const servers = Object.entries({ [name]: service, [takes]: taker }).map(([one, to]) =>
    [
      `<VirtualHost 127.0.0.1:${String(other)}>`,
      `ServerName ${one}`,
      'SSLEngine on',
      `SSLCertificateFile "${pair.certificate}"`,
      `SSLCertificateKeyFile "${pair.key}"`,
      'SSLProtocol -all +TLSv1.2 +TLSv1.3',
      `SSLCipherSuite ${modernSuites.join(':')}`,
      'SSLSessionTickets off',
      'Protocols h2 http/1.1',
      'MaxKeepAliveRequests 0',
      'ProxyPreserveHost On',
      'ProxyAddHeaders Off',
      `RequestHeader set Forwarded "expr=for=%{REMOTE_ADDR};host=${one};proto=https"`,
      ...['X-Forwarded-For', 'X-Real-IP'].map((header) => `RequestHeader set ${header} "expr=%{REMOTE_ADDR}"`),
      `RequestHeader set X-Forwarded-Host ${one}`,
      `RequestHeader set X-Forwarded-Port ${String(other)}`,
      'RequestHeader set X-Forwarded-Proto https',
      ...Object.entries(said).map(([header, value]) => `Header always set ${header} ${value}`),
      `ProxyPass / http://127.0.0.1:${String(to)}/ upgrade=websocket`,
      '</VirtualHost>',
    ].join('\n'),
  );
  return [
    `ServerRoot "${run}"`,
    'ServerName localhost',
    ...(user === null ? [] : [`User ${user}`, `Group ${user}`]),
    `DefaultRuntimeDir "${run}"`,
    `PidFile "${run}/httpd.pid"`,
    `ErrorLog "${run}/error.log"`,
    ...usedModules.map(
      (one) => `<IfModule !${one}_module>\nLoadModule ${one}_module "${modules}/mod_${one}.so"\n</IfModule>`,
    ),
    'TypesConfig /dev/null',
    'SSLSessionCache none',
    ...['ServerLimit 4', 'ThreadsPerChild 64', 'MaxRequestWorkers 256'],
    `Listen 127.0.0.1:${String(other)}`,
    ...servers,
    '',
  ].join('\n');
}

/** The same for haproxy; the key lies beside the certificate, under its name with `.key` behind it. */
export function haproxyByHand({ name, takes, pair, ports }: HandMade): string {
  const { other, service, taker } = ports;
  const headers = {
    Forwarded: `for=%[src];host=${name};proto=https`,
    'X-Forwarded-For': '%[src]',
    'X-Forwarded-Host': name,
    'X-Forwarded-Port': String(other),
    'X-Forwarded-Proto': 'https',
    'X-Real-IP': '%[src]',
  };
  return [
    'global',
    '    maxconn 2000',
    'defaults',
    '    mode http',
    ...['connect 5s', 'client 60s', 'server 60s', 'http-request 30s'].map((one) => `    timeout ${one}`),
    'frontend front',
    `    bind 127.0.0.1:${String(other)} ssl crt ${pair.certificate} alpn h2,http/1.1 ssl-min-ver TLSv1.2 no-tls-tickets ciphers ${modernSuites.join(':')}`,
    ...Object.entries(headers).map(([header, value]) => `    http-request set-header ${header} "${value}"`),
    ...Object.entries(said).map(([header, value]) => `    http-response set-header ${header} ${value}`),
    `    use_backend taker if { req.hdr(host) -m beg -i ${takes} }`,
    '    default_backend service',
    ...Object.entries({ service, taker }).map(
      ([one, port]) => `backend ${one}\n    server one 127.0.0.1:${String(port)}`,
    ),
    '',
  ].join('\n');
}
