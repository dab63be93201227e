/** A row that needs a network: a machine with containers, seen from itself or by a stranger outside. */
export interface NetworkRow {
  name: string;
  rule: string | null;
  severity?: 'error' | 'warning';
  says?: string;
  from: 'machine' | 'outside';
  /** How the service's container publishes its port, and whether it runs. */
  publishes: string;
  stopped?: boolean;
  /** Keys of the road. */
  road: string;
  to?: string;
  /** Rules of the machine's firewall (nft) for what comes in from outside. */
  firewall?: string;
  /** How its service came out. */
  service?: 'ok' | 'untested';
}

const loopback = '127.0.0.1:3000:8080';
const everyone = '3000:8080';
const open = 'gate: everyone';

export const networkRows: NetworkRow[] = [
  {
    name: 'a gated container is published to everyone',
    rule: 'front-bypassed',
    says: 'and its gate',
    from: 'outside',
    publishes: everyone,
    road: 'gate: home',
  },
  {
    name: 'an open container is published to everyone',
    rule: 'front-bypassed',
    severity: 'warning',
    says: 'past the front',
    from: 'outside',
    publishes: everyone,
    road: open,
  },
  {
    name: 'a container behind a prefix is published to everyone',
    rule: 'front-bypassed',
    severity: 'warning',
    says: 'nestcam.saltmarsh.example/camera',
    from: 'outside',
    publishes: everyone,
    to: '{redirect: "https://www.example.org"}',
    road: `${open}, paths: {/camera: "nestcam:8080"}`,
  },
  {
    name: 'the same, seen from the machine itself',
    rule: 'front-bypassed',
    severity: 'warning',
    says: 'the machine itself',
    from: 'machine',
    publishes: everyone,
    road: open,
  },
  {
    name: 'the container is published with the wrong inside port',
    rule: 'service-down',
    says: 'closes them at once',
    from: 'machine',
    publishes: '127.0.0.1:3000:9999',
    to: ':3000',
    road: open,
  },
  {
    name: 'the container is stopped',
    rule: 'service-down',
    from: 'machine',
    publishes: loopback,
    to: ':3000',
    stopped: true,
    road: open,
  },
  {
    name: 'the firewall drops HTTPS',
    rule: 'port-closed',
    says: 'lost on the way',
    from: 'outside',
    publishes: loopback,
    road: open,
    firewall: 'tcp dport 443 drop',
  },
  {
    name: 'the firewall drops plain HTTP',
    rule: 'port-closed',
    says: ':80',
    from: 'outside',
    publishes: loopback,
    road: open,
    firewall: 'tcp dport 80 drop',
  },
  {
    name: 'the firewall refuses HTTPS over IPv6',
    rule: 'port-closed',
    says: '[2001:db8:40::24]:443 is refused',
    from: 'outside',
    publishes: loopback,
    road: open,
    firewall: 'meta nfproto ipv6 tcp dport 443 reject with tcp reset',
  },
  { name: 'containers on loopback, seen from outside', rule: null, from: 'outside', publishes: loopback, road: open },
  {
    name: 'a gate that refuses the stranger',
    rule: null,
    from: 'outside',
    publishes: loopback,
    road: 'gate: home',
    service: 'untested',
  },
  {
    name: 'a gate that refuses the public address of the machine, and lets in another one of it',
    rule: null,
    from: 'machine',
    publishes: loopback,
    road: 'gate: loopback',
    service: 'ok',
  },
  {
    name: 'the container behind a gate is stopped',
    rule: 'service-down',
    from: 'machine',
    publishes: loopback,
    stopped: true,
    road: 'gate: far',
  },
  {
    name: 'the container behind a gate is published with the wrong inside port',
    rule: 'service-down',
    says: 'closes them at once',
    from: 'machine',
    publishes: '127.0.0.1:3000:9999',
    to: ':3000',
    road: 'gate: far',
  },
  {
    name: 'containers on loopback, seen from the machine itself',
    rule: null,
    from: 'machine',
    publishes: loopback,
    road: open,
  },
  {
    name: 'published to everyone, and closed by the firewall',
    rule: null,
    from: 'outside',
    publishes: everyone,
    road: 'gate: home',
    firewall: 'tcp dport 3000 drop',
  },
];
