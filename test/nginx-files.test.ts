import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { dirname, join } from 'node:path';
import fc from 'fast-check';
import { nginxRenderer as nginx, standalone } from '../src/core/proxies/nginx/renderer.ts';
import { block, comment, dollarVariable, quote } from '../src/core/proxies/nginx/quote.ts';
import { makeThrowaway } from '../src/adapters/certificates/make.ts';
import { nginxProgram, nginxVersion, startNginx } from './support/fronts.ts';
import { plannedOf } from './support/plan.ts';
import { freePorts } from './support/ports.ts';
import { folderWith } from './support/program.ts';

/** Writes the rendered files of a map as an edition by hand, with a throwaway certificate everywhere, and lets nginx test them. */
async function nginxTest(text: string, change: (files: string) => string = (files) => files): Promise<string> {
  const folder = folderWith();
  const current = join(folder, 'front');
  const { plan } = plannedOf(text);
  const pair = await makeThrowaway(new Date());
  writeFileSync(join(folder, 'c.pem'), pair.certificate);
  writeFileSync(join(folder, 'k.pem'), pair.key);
  for (const certificate of plan.certificates)
    Object.assign(certificate, { certificateFile: join(folder, 'c.pem'), keyFile: join(folder, 'k.pem') });
  for (const { path, content } of [
    ...nginx.render(plan, { current, version: nginxVersion(), people: () => [] }),
    nginx.renderMark(plan, 'edition 0001'),
  ]) {
    mkdirSync(dirname(join(current, path)), { recursive: true });
    writeFileSync(join(current, path), change(content));
  }
  writeFileSync(join(folder, 'nginx.conf'), standalone({ current, runFolder: folder }));
  const { status, stderr } = spawnSync(nginxProgram(), ['-t', '-q', '-c', join(folder, 'nginx.conf'), '-e', 'stderr'], {
    encoding: 'utf8',
  });
  return `${String(status)} ${stderr}`;
}

/** `nginx -t` binds what it would listen on. */
let head = '';
beforeAll(async () => {
  const [plain, https, mark] = (await freePorts(3)).map(String);
  head = `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, ports: {http: ${plain ?? ''}, https: ${https ?? ''}}, mark: "127.0.0.1:${mark ?? ''}"`;
});

test('nginx accepts every kind of road without a warning, also names that do not resolve and very long ones', async () => {
  // With its domain just 253 characters: as long as a name can be, and too long for a file name.
  const long = [...Array.from({ length: 3 }, () => 'a'.repeat(58)), 'b'.repeat(58)].join('.');
  const text = `${head}}
roads:
  www: :80
  ${long}: :80
  station: https://no-such-host.saltmarsh.example:8443
  appliance: https://192.168.64.9
  old: {redirect: "https://www.example.org/a$b'c;d{e}"}
  gone: {redirect: "https://www.example.org", gate: everyone}
`;
  expect(await nginxTest(text)).toBe('0 ');
});

test.each(['refuse', 'not-found', '{redirect: "https://www.example.org/$x"}'])(
  'nginx accepts unknown: %s',
  async (unknown) => {
    expect(await nginxTest(`${head}, unknown: ${unknown}}\nroads: {www: ":80"}`)).toBe('0 ');
  },
);

test('the test above would notice a file that nginx does not accept', async () => {
  const result = await nginxTest(`${head}}\nroads: {www: ":80"}`, (content) =>
    content.replace('return 444;', 'return 444'),
  );
  expect(result).toMatch(/^1 .*\[emerg\]/);
});

test('four hundred roads are accepted', async () => {
  const roads = Array.from({ length: 400 }, (_, index) => `  station-${String(index)}: :80`).join('\n');
  expect(await nginxTest(`${head}}\nroads:\n${roads}\n`)).toBe('0 ');
});

test('what a road file looks like', () => {
  const { plan } = plannedOf(
    'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\nroads: {roster: "http://192.168.64.9:5000"}',
  );
  const found = nginx
    .render(plan, { current: '/f/current', people: () => [] })
    .find(({ path }) => path.startsWith('roads/'));
  // What tells this map from others in one nginx.
  const road = found && {
    ...found,
    content: found.content.replace(/mm[0-9a-f]{8}_/g, 'mile_marker_').replace(/ \(map [0-9a-f]{8}\)/, ''),
  };
  expect(road).toMatchInlineSnapshot(`
{
  "content": "# Written by Mile Marker for the road roster.saltmarsh.example.
# Leads to http://192.168.64.9:5000: as the map says.
# Gate: home.
upstream mm_de87a3447395eb03_kept0 {
    server 192.168.64.9:5000;
    keepalive 32;
    keepalive_timeout 4s;
}
upstream mm_de87a3447395eb03_once0 {
    server 192.168.64.9:5000;
    keepalive 32;
    keepalive_timeout 1s;
}

# Redirects everything to HTTPS. The target stays byte for byte ($request_uri; $uri would decode it).
server {
    listen 0.0.0.0:80;
    server_name roster.saltmarsh.example;
    include "/f/current/serving.conf";
    client_max_body_size 0;
    add_header Allow $mile_marker_allow always;
    return 308 "https://roster.saltmarsh.example$request_uri";
}

server {
    listen 0.0.0.0:443 ssl http2;
    server_name roster.saltmarsh.example;
    include "/f/current/serving.conf";
    ssl_certificate "/state/certificates/roster.saltmarsh.example/current/certificate.pem";
    ssl_certificate_key "/state/certificates/roster.saltmarsh.example/current/key.pem";
    ssl_protocols TLSv1.2 TLSv1.3;
    ssl_ciphers ECDHE-ECDSA-AES128-GCM-SHA256:ECDHE-RSA-AES128-GCM-SHA256:ECDHE-ECDSA-AES256-GCM-SHA384:ECDHE-RSA-AES256-GCM-SHA384:ECDHE-ECDSA-CHACHA20-POLY1305:ECDHE-RSA-CHACHA20-POLY1305;
    ssl_prefer_server_ciphers off;
    ssl_session_tickets off;
    add_header X-Content-Type-Options $mm_default_x_content_type_options_43017 always;
    add_header X-Frame-Options $mm_default_x_frame_options_68581 always;
    add_header Referrer-Policy $mm_default_referrer_policy_20168 always;
    add_header Allow $mile_marker_allow always;
    add_header Upgrade $mile_marker_upgraded always;
    # The certificate of this connection must cover the name. Without case: $ssl_server_name keeps what the client wrote.
    if ($ssl_server_name !~* "^(?:roster\\\\.saltmarsh\\\\.example)\\\\.?$") {
        return 421;
    }

    client_max_body_size 0;
    include "/f/current/proxying.conf";
    include "/f/current/told.conf";
    proxy_set_header Host "roster.saltmarsh.example";
    proxy_set_header Forwarded "for=$remote_addr;host=\\"roster.saltmarsh.example\\";proto=https";
    proxy_set_header X-Forwarded-Host "roster.saltmarsh.example";
    proxy_set_header X-Forwarded-Port 443;
    proxy_set_header X-Forwarded-Proto https;
    proxy_set_header Authorization $http_authorization;
    location / {
        # Gate: home.
        deny 192.168.64.1;
        allow 127.0.0.0/8;
        allow ::1/128;
        allow 192.168.64.0/24;
        deny all;
        # Other requests go elsewhere by 418, which no protocol uses (RFC 9110 §15.5.19).
        if ($mile_marker_kind != kept) {
            error_page 418 = @lead0_$mile_marker_kind;
            return 418;
        }
        proxy_pass http://mm_de87a3447395eb03_kept0;
        proxy_next_upstream error;
        proxy_send_timeout 60s;
        proxy_read_timeout 60s;
    }
    location @lead0_once {
        # Gate: home.
        deny 192.168.64.1;
        allow 127.0.0.0/8;
        allow ::1/128;
        allow 192.168.64.0/24;
        deny all;
        proxy_pass http://mm_de87a3447395eb03_once0;
        proxy_send_timeout 60s;
        proxy_read_timeout 60s;
    }
    location @lead0_live {
        # Gate: home.
        deny 192.168.64.1;
        allow 127.0.0.0/8;
        allow ::1/128;
        allow 192.168.64.0/24;
        deny all;
        proxy_pass http://192.168.64.9:5000;
        proxy_send_timeout 3600s;
        proxy_read_timeout 3600s;
    }
}
",
  "path": "roads/roster.saltmarsh.example.conf",
}
`);
});

test('a quoted value comes back from nginx byte for byte, whatever it is', async () => {
  const printable = fc.string({
    unit: fc.integer({ min: 0x20, max: 0x7e }).map((code) => String.fromCharCode(code)),
    maxLength: 60,
  });
  const values = [
    ...fc.sample(printable, { numRuns: 300, seed: 24 }),
    '$uri',
    '${dollar}',
    '\\"',
    '"; return 500; #',
    '\\',
    '$',
    "'",
    '{}',
    '#x',
    'caf\u00e9',
  ];
  const [port = 0] = await freePorts(1);
  const folder = folderWith();
  const locations = values.flatMap((value, index) =>
    block(`location = /${String(index)}`, [comment(value), `return 200 ${quote(value)};`]),
  );
  const server = block('server', [`listen 127.0.0.1:${String(port)};`, ...locations]);
  mkdirSync(join(folder, '.mile-marker/front/current'), { recursive: true });
  writeFileSync(join(folder, '.mile-marker/front/current/front.conf'), [dollarVariable, ...server, ''].join('\n'));
  const running = await startNginx(folder);
  try {
    const agent = new http.Agent({ keepAlive: true, maxSockets: 1 });
    for (const [index, value] of values.entries()) expect(await get(port, `/${String(index)}`, agent)).toBe(value);
    agent.destroy();
  } finally {
    await running.stop();
  }
});

test('control characters are refused, since nginx would send a line end of a value as one of its header', () => {
  for (const odd of ['\n', '\r', '\u0000', '\u007f']) expect(() => quote(`a${odd}b`)).toThrow(RangeError);
});

function get(port: number, path: string, agent: http.Agent): Promise<string> {
  return new Promise((resolve, reject) => {
    http
      .get({ host: '127.0.0.1', port, path, agent }, (response) => {
        let body = '';
        response.setEncoding('utf8').on('data', (text: string) => (body += text));
        response.on('end', () => resolve(body));
      })
      .on('error', reject);
  });
}

test('a newer nginx is told of HTTP/2 in the way of which it does not warn, an unknown one in the way that all take', () => {
  const { plan } = plannedOf(
    'domains: [saltmarsh.example]\nfront: {address: 127.0.0.1, unknown: not-found}\ncertificates: {marsh: {names: saltmarsh.example, wildcard: true}}\nroads: {www: ":80", tides: ":81"}\n',
  );
  const counts = (version: string | null): number[] => {
    const files = nginx.render(plan, { current: '/f', version, people: () => [] });
    const text = files.map(({ content }) => content).join('\n');
    return [/listen .* ssl http2/g, /^ *http2 on;/gm, /listen .* ssl/g].map((what) => text.match(what)?.length ?? 0);
  };
  const [, , all = 0] = counts(null);
  expect(all).toBeGreaterThan(3);
  for (const version of [null, '1.22.1', '1.25.0']) expect(counts(version)).toEqual([all, 0, all]);
  for (const version of ['1.25.1', '1.26.3', '2.0']) expect(counts(version)).toEqual([0, all, all]);
});
