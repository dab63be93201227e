import type { Row } from './row.ts';

const passes = `proxy_pass http://127.0.0.1:{service};
    proxy_set_header Host $http_host;
    proxy_set_header X-Forwarded-For $remote_addr;
    proxy_set_header X-Forwarded-Proto https;`;

/** What lies behind a gate that keeps the tester out, and gates that keep out some ways of asking only. */
export const gatedRows: Row[] = [
  {
    name: 'the gate refuses this machine, which the map lets in',
    rule: 'gate-refused-here',
    severity: 'warning',
    road: 'gate: home',
    nginx: { nestcam: `location / { deny all; ${passes} }` },
  },
  {
    name: 'nginx: the gate is on GET alone',
    rule: 'gate-open',
    says: 'by OPTIONS',
    road: 'gate: far',
    nginx: { nestcam: `location / { limit_except OPTIONS POST { allow 198.51.100.0/24; deny all; } ${passes} }` },
  },
  {
    name: 'httpd: the gate is on GET alone',
    rule: 'gate-open',
    says: 'by OPTIONS',
    road: 'gate: far',
    httpd: {
      nestcam:
        'ProxyPass / http://127.0.0.1:{service}/\n  ProxyPreserveHost On\n  <Location />\n    <Limit GET>\n      Require ip 198.51.100.0/24\n    </Limit>\n  </Location>',
    },
  },
  {
    name: 'haproxy: the gate compares the name with its capitals',
    rule: 'gate-open',
    says: 'NESTCAM.SALTMARSH.EXAMPLE',
    road: 'gate: far',
    haproxy: { secure: 'http-request deny if { hdr_beg(host) nestcam } !{ src 198.51.100.0/24 }' },
  },
  {
    name: 'haproxy: a rule that allows stands before the gate',
    rule: 'gate-open',
    road: 'gate: far',
    haproxy: {
      secure:
        'http-request allow if { method GET }\n  http-request deny if { hdr_beg(host) -i nestcam } !{ src 198.51.100.0/24 }',
    },
  },
  {
    name: 'the gate of the road does not hold at one of its parts',
    rule: 'gate-open',
    says: 'nestcam.saltmarsh.example/tables',
    road: 'gate: far, paths: {/tables: ":{tides}"}',
    nginx: {
      nestcam: `location / { deny all; ${passes} } location /tables { ${passes.replace('{service}', '{tides}')} }`,
    },
  },
];
