import { switchOff } from '../../src/core/proxies/nginx/switch-off.ts';
import { takeOver } from '../../src/core/proxies/nginx/take-over.ts';

/** What is read off a configuration made by hand never opens what was closed. */

const dump = (server: string, http = ''): string => `# configuration file /etc/nginx/nginx.conf:
http {
${http}
server { listen 443 ssl; server_name roster.saltmarsh.example;
${server}
}
}
`;
const pass = 'proxy_pass http://127.0.0.1:8083;';
const closed = 'allow 192.168.64.0/24; deny all;';
const people = 'auth_basic x; auth_basic_user_file /etc/nginx/wardens;';

test.each<[what: string, server: string, gate: object | null, left: RegExp[]]>([
  ['open', `location / { ${pass} }`, null, []],
  ['networks', `${closed} location / { ${pass} }`, { networks: ['192.168.64.0/24'], people: null }, []],
  [
    'an inner list stands in place of the outer one',
    `allow 10.0.0.0/8; deny all; location / { ${closed} ${pass} }`,
    { networks: ['192.168.64.0/24'] },
    [],
  ],
  [
    'people anywhere, a hook without',
    `${people} location / { ${pass} } location /hooks/ { auth_basic off; ${pass} }`,
    { people: '/etc/nginx/wardens', except: ['/hooks/'] },
    [],
  ],
  [
    'a hook without a password that still wants the network',
    `${closed} ${people} location / { ${pass} } location /hooks/ { auth_basic off; ${pass} }`,
    { networks: ['192.168.64.0/24'], except: [] },
    [/asked less of visitors/],
  ],
  [
    'a part alone',
    `location / { ${pass} } location /admin/ { ${closed} ${pass} }`,
    { networks: ['192.168.64.0/24'], wasOn: '/admin/' },
    [],
  ],
  [
    'two parts, each with its own',
    `location / { ${pass} } location /a/ { ${closed} ${pass} } location /b/ { ${people} ${pass} }`,
    { wasOn: '/a/' },
    [/the gate of \/b\/: a road has one gate/],
  ],
  ['closed to all', `deny all; location / { ${pass} }`, { networks: ['127.0.0.0/8'] }, []],
  [
    'another program decides',
    `location / { auth_request /ask; ${pass} }`,
    { unsaid: true },
    [/auth_request: .*home alone/],
  ],
  ['certificates of visitors', `ssl_verify_client on; location / { ${pass} }`, { unsaid: true }, [/ssl_verify_client/]],
])('%s', (_, server, gate, wanted) => {
  const { roads, left } = takeOver(dump(server));
  expect(roads[0]?.gate).toEqual(gate === null ? null : expect.objectContaining(gate));
  const said = left.map(({ what, why }) => `${what}: ${why}`);
  expect(said).toEqual(wanted.map((one) => expect.stringMatching(one)));
});

test('what all servers inherit counts, too', () => {
  const { roads } = takeOver(dump(`location / { ${pass} }`, closed));
  expect(roads[0]?.gate).toMatchObject({ networks: ['192.168.64.0/24'] });
});

const wanted = { covers: (name: string) => name === 'a.example', ports: [80] };
const server = 'server { listen 80; server_name a.example; }';

test.each([
  [
    `${server}\n`,
    '# Switched off by `mile-marker install --replace`; `mile-marker undo front` brings it back.\n# server { listen 80; server_name a.example; }\n',
  ],
  [`${server} ${server}\n`, 'not stand on lines of its own'],
  [`map $a $b {} ${server}\n`, 'not stand on lines of its own'],
  ['server { listen 81; server_name a.example; }\n', 'nothing in it is in the way'],
  ['server { listen 80; server_name a.example b.example; }\n', 'also answers b.example'],
  [`# Written by Mile Marker (map 1).\n${server}\n`, 'for another map'],
])('switching off: %j', (text, expected) => {
  const made = switchOff(text, wanted);
  expect('why' in made ? made.why : made.text).toContain(expected);
});
