import type { HostFacts } from '../../src/core/inventory/inventory.ts';
import { wantedRecords } from '../../src/core/records/wanted.ts';
import { wayInPage } from '../../src/core/way-in/page.ts';
import { firewallRules } from '../../src/core/way-in/firewall.ts';
import { mapOf, plannedOf, someHost } from '../support/plan.ts';

/** What must stand in the zones, and which rules a firewall gets. */

const two = 'domains: [saltmarsh.example, warden.example.net]';
const at = 'front: {address: [203.0.113.24, "2001:db8:40::24"], home: 192.168.64.10}';
const roads = 'roads: {saltmarsh.example: ":1", log: ":2", tides: ":3", mail.warden.example.net: ":4"}';
const acme = 'acme: {directory: production, challenge: http}';

function recordsOf(text: string, view: 'public' | 'home' = 'public'): { records: string[]; notes: string[] } {
  const { plan } = plannedOf(text);
  const { dns, acme: authority } = mapOf(text);
  const { zones, notes } = wantedRecords({ plan, dns, acme: authority, view });
  const line = ({ name, type, data }: { name: string; type: string; data: string }): string =>
    `${name} ${type} ${data}`;
  return { records: zones.flatMap((zone) => zone.records.map(line)), notes };
}

test.each<[string, string, string[], number]>([
  [
    'one address and aliases',
    `${two}\n${at}\n${roads}`,
    [
      'saltmarsh.example A 203.0.113.24',
      'saltmarsh.example AAAA 2001:db8:40::24',
      'log.saltmarsh.example CNAME saltmarsh.example.',
      'tides.saltmarsh.example CNAME saltmarsh.example.',
      'mail.warden.example.net CNAME saltmarsh.example.',
    ],
    0,
  ],
  [
    'an address for each name',
    `${two}\nfront: {address: 203.0.113.24}\ndns: {style: addresses}\nroads: {log: ":2", mail.warden.example.net: ":4"}`,
    ['log.saltmarsh.example A 203.0.113.24', 'mail.warden.example.net A 203.0.113.24'],
    0,
  ],
  [
    'one wildcard a domain, and the bare domain by itself',
    `${two}\nfront: {address: 203.0.113.24}\ndns: {style: wildcard}\n${roads}`,
    [
      'saltmarsh.example A 203.0.113.24',
      '*.saltmarsh.example CNAME saltmarsh.example.',
      '*.warden.example.net A 203.0.113.24',
    ],
    1,
  ],
  [
    'behind a name: the bare domain cannot be an alias, and the name itself needs its address',
    'domains: [saltmarsh.example]\nfront: {address: hide.example.net}\nroads: {saltmarsh.example: ":1", log: ":2"}',
    ['log.saltmarsh.example CNAME hide.example.net.'],
    2,
  ],
  [
    'with an edge nothing of ours is published',
    'domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, edge: {networks: 198.51.100.0/24}}\nroads: {log: ":2"}',
    [],
    1,
  ],
  [
    'one public authority: nobody else may issue, and nobody a wildcard',
    `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24}\n${acme}\nroads: {log: ":2"}`,
    [
      'log.saltmarsh.example A 203.0.113.24',
      'saltmarsh.example CAA 0 issue "letsencrypt.org"',
      'saltmarsh.example CAA 0 issuewild ";"',
    ],
    0,
  ],
])('records: %s', (_, text, records, notes) => {
  const wanted = recordsOf(text);
  expect(wanted.records).toEqual(records);
  expect(wanted.notes).toHaveLength(notes);
});

test('at home every name has the address of home, and no authority is named', () => {
  expect(recordsOf(`${two}\n${at}\n${acme}\n${roads}`, 'home').records).toEqual([
    'saltmarsh.example A 192.168.64.10',
    'log.saltmarsh.example A 192.168.64.10',
    'tides.saltmarsh.example A 192.168.64.10',
    'mail.warden.example.net A 192.168.64.10',
  ]);
});

const rented: HostFacts = {
  ...someHost,
  addresses: [{ interface: 'eth0', address: '203.0.113.24', network: '203.0.113.0/24', ofContainers: false }],
};
test('the table for a router is of IPv4, and what to open for IPv6 stands beside it', () => {
  const host = {
    ...someHost,
    addresses: [
      ...someHost.addresses,
      { interface: 'eth0', address: 'fd00:40::10', network: 'fd00:40::/64', ofContainers: false },
      // The router knows nothing of a tunnel, which comes and goes.
      { interface: 'wg0', address: '10.99.0.2', network: '10.99.0.0/24', ofContainers: false },
    ],
  };
  const { plan } = plannedOf(
    'domains: [saltmarsh.example]\nfront: {address: [203.0.113.24, "2001:db8:40::24"]}\nroads: {log: ":2"}',
    undefined,
    host,
  );
  const page = wayInPage({ plan, host, home: { networks: [], except: [] }, sshPorts: [22] }, '/x/way-in.nft');
  expect(page).toContain('| 443 | TCP | 192.168.64.10 | 443 | HTTPS |');
  expect(page).toContain('open TCP port 443 and 80 to 2001:db8:40::24.');
});

test.each<[string, HostFacts, string, { networks: string[]; except: string[] }, string[]]>([
  [
    'behind a router SSH stays shut from outside',
    someHost,
    '',
    { networks: ['192.168.64.0/24', 'fd00:40::/64'], except: ['192.168.64.1'] },
    [
      'tcp dport { 8443, 8080 } accept',
      'ip saddr 192.168.64.1 ct state new jump from_outside',
      'ip saddr 192.168.64.0/24 accept',
      'ip6 saddr fd00:40::/64 accept',
    ],
  ],
  [
    'at the public address itself SSH stays open, or nobody could come in again',
    rented,
    '',
    { networks: [], except: [] },
    ['tcp dport { 8443, 8080 } accept', 'tcp dport { 22, 2222 } accept'],
  ],
  [
    'with an edge in front it alone reaches the front',
    someHost,
    ', edge: {networks: [198.51.100.0/24, "2001:db8:9::/48"]}',
    { networks: [], except: [] },
    [
      'ip saddr 198.51.100.0/24 tcp dport { 8443, 8080 } accept',
      'ip6 saddr 2001:db8:9::/48 tcp dport { 8443, 8080 } accept',
    ],
  ],
  [
    'a bridge that is called nearly as those of containers is outside',
    { ...someHost, lookalikes: ['br-eth0'] },
    '',
    { networks: [], except: [] },
    ['tcp dport { 8443, 8080 } accept', 'iifname "br-e*" iifname != { "br-eth0" } accept'],
  ],
])('firewall: %s', (_, host, edge, home, expected) => {
  const { plan } = plannedOf(
    `domains: [saltmarsh.example]\nfront: {address: 203.0.113.24, listen: {http: 8080, https: 8443}${edge}}\nroads: {log: ":2"}`,
    undefined,
    host,
  );
  const lines = firewallRules({ plan, host, home, sshPorts: [22, 2222] })
    .split('\n')
    .map((line) => line.trim());
  const given = lines.filter((line) => /^(tcp|ip6? saddr|iifname .* !=)/.test(line));
  expect(given).toEqual(expected);
});
