import type { Closing } from './node-front.ts';
import type { HttpdFront } from './row.ts';
import { serverProgram, startServer, type FrontBed } from './server-front.ts';

/** Starts the real server on a sound configuration written by hand, with the pieces of a row in their place. Its errors go to `errors.log`. */
export function startHttpdFront(front: HttpdFront, given: FrontBed): Promise<Closing> {
  return startServer({
    ...given,
    certificate: {},
    configuration: configuration(front),
    program: serverProgram('apache2', 'apache2'),
    argv: (file, own) => ['-D', 'FOREGROUND', '-d', own, '-f', file],
  });
}

/** Where Debian keeps them; the rest is part of the program. */
const modules = [
  'mpm_event',
  'authn_core',
  'authn_file',
  'authz_core',
  'authz_host',
  'authz_user',
  'auth_basic',
  'alias',
  'dir',
  'headers',
  'proxy',
  'proxy_http',
  'rewrite',
  'socache_shmcb',
  'ssl',
];

const certificate = (name: string): string =>
  `SSLEngine On
  SSLCertificateFile {own}/${name}.pem
  SSLCertificateKeyFile {own}/${name}.key`;

/** By the measured recipe that keeps every byte of a target. */
const exactly = `AllowEncodedSlashes NoDecode
  MergeSlashes Off
  RewriteEngine On
  RewriteCond %{HTTP_HOST} ^([^:]+)
  RewriteRule ^ - [E=MARSH:%1]
  RewriteCond %{THE_REQUEST} "^[^ ]+ (/[^ ?]*)"
  RewriteRule ^ https://%{ENV:MARSH}:{https}%1 [R=301,L,NE]`;

function configuration({ default443, default80, plain, nestcam, server }: HttpdFront): string {
  const own = 'ProxyPass / http://127.0.0.1:{service}/ upgrade=websocket\n  ProxyPreserveHost On';
  return `PidFile {own}/pid
ErrorLog {own}/errors.log
User #65534
Group #65534
ServerName marsh.invalid
ServerTokens Prod
${modules.map((name) => `LoadModule ${name}_module /usr/lib/apache2/modules/mod_${name}.so`).join('\n')}
Listen 127.0.0.1:{http}
Listen 127.0.0.1:{https}
SSLProtocol -all +TLSv1.2 +TLSv1.3
RequestHeader set X-Forwarded-Proto https
${server ?? ''}
<VirtualHost 127.0.0.1:{http}>
  ServerName default.invalid
  ${default80 ?? '<Location />\n    Require all denied\n  </Location>'}
</VirtualHost>
<VirtualHost 127.0.0.1:{http}>
  ServerName {name}
  ServerAlias {tidesName}
  ${plain ?? exactly}
</VirtualHost>
<VirtualHost 127.0.0.1:{https}>
  ServerName default.invalid
  ${default443 ?? `${certificate('tides')}\n  <Location />\n    Require all denied\n  </Location>`}
</VirtualHost>
<VirtualHost 127.0.0.1:{https}>
  ServerName {name}
  ${certificate('nestcam')}
  ${nestcam ?? own}
</VirtualHost>
<VirtualHost 127.0.0.1:{https}>
  ServerName {tidesName}
  ${certificate('tides')}
  ProxyPass / http://127.0.0.1:{tides}/
  ProxyPreserveHost On
</VirtualHost>
`;
}
