/** The made-up site of the demo: a bird observatory on a salt marsh. Names and addresses are those kept for documentation. */

import type { ProxyName } from '../core/proxies/names.ts';

export const demoServices = ['visitor-pages', 'bird-log', 'nestcam', 'roster', 'tide-tables', 'workbench'] as const;
export type DemoService = (typeof demoServices)[number];

export interface DemoPorts {
  http: number;
  https: number;
  mark: number;
  services: Record<DemoService, number>;
}

interface DemoMapInput {
  ports: DemoPorts;
  proxy: ProxyName;
  engine: string;
  /** Address of the authority's directory; null: practice certificates only. */
  authority: string | null;
}

export function demoMap({ ports: { http, https, mark, services }, proxy, engine, authority }: DemoMapInput): string {
  return `# The salt-marsh observatory: its names, and where they lead.
domains: [saltmarsh.example, reedbed.example]

front:
  address: 127.0.0.1            # the demo stays on this machine
  home-networks: [127.0.0.0/8, 192.168.64.0/24]
  ports: {http: ${String(http)}, https: ${String(https)}}
  proxy: ${proxy}
  mark: 127.0.0.1:${String(mark)}

compose: [compose.yaml]
engine: ${engine}

${authority === null ? '' : certificatesFrom(authority)}gates:
  wardens:                      # at home, or anywhere with a password
    people: people/wardens.htpasswd
    networks: [127.0.0.0/8, 192.168.64.0/24]
    need: any

roads:
  saltmarsh.example:
    redirect: https://www.saltmarsh.example
    gate: everyone
  www:
    to: visitor-pages:80
    gate: everyone
  sightings: bird-log:8080      # the short form; gate \`home\`
  nestcam:
    to: nestcam:3000
    gate: everyone
  roster:
    to: roster:5000
    gate: wardens
  tides:
    to: tide-tables:8000
    gate: everyone
  workbench: :${String(services.workbench)}
  sightings.reedbed.example:
    redirect: https://sightings.saltmarsh.example
    permanent: true
    gate: everyone
`;
}

function certificatesFrom(authority: string): string {
  return `acme: {directory: "${authority}", root: authority-root.pem}
certificates:
  visitors:
    names: [saltmarsh.example, www.saltmarsh.example, nestcam.saltmarsh.example, tides.saltmarsh.example]
    from: acme
  keepers:                      # home only: practice is enough, and nobody reads these names in a public log
    names: [sightings.saltmarsh.example, roster.saltmarsh.example, workbench.saltmarsh.example, sightings.reedbed.example]
    from: practice

`;
}

/** As people write them: defaults by variable, the long and the short syntax, and one port that is open to everyone. */
export function demoCompose(services: Record<DemoService, number>): string {
  return `name: observatory
x-usual: &usual
  restart: unless-stopped

services:
  visitor-pages:
    <<: *usual
    image: observatory/visitor-pages
    ports: ["127.0.0.1:${String(services['visitor-pages'])}:80"]
  bird-log:
    <<: *usual
    image: observatory/bird-log
    ports:
      - "${String(services['bird-log'])}:8080"
  nestcam:
    <<: *usual
    image: observatory/nestcam
    ports: ["127.0.0.1:\${NESTCAM_PORT:-${String(services.nestcam)}}:3000"]
  roster:
    <<: *usual
    image: observatory/roster
    ports:
      - target: 5000
        host_ip: 127.0.0.1
        published: "${String(services.roster)}"
  tide-tables:
    <<: *usual
    image: observatory/tide-tables
    ports: ["127.0.0.1:${String(services['tide-tables'])}:8000"]
`;
}

/** What is wrong on purpose, so that the output shows what trouble looks like. */
export const demoTroubles: ReadonlyArray<{ rule: string; road: string; story: string }> = [
  { rule: 'service-down', road: 'tides.saltmarsh.example', story: 'tide-tables is not running' },
  {
    rule: 'redirect-shows-inside',
    road: 'roster.saltmarsh.example',
    story: 'roster redirects to its own inside address',
  },
  { rule: 'dns-missing', road: 'workbench.saltmarsh.example', story: 'workbench has no record in DNS' },
];

/** Names that the demo's DNS knows: all but one. */
export const demoNames: readonly string[] = [
  'saltmarsh.example',
  'www.saltmarsh.example',
  'sightings.saltmarsh.example',
  'nestcam.saltmarsh.example',
  'roster.saltmarsh.example',
  'tides.saltmarsh.example',
  'sightings.reedbed.example',
];

export const hutName = 'hut.reedbed.example';

/** A second place, whose provider gives it another address now and then. @param service where the name is told it */
export function hutMap(service: string): string {
  return `domains: [${hutName}]
front:
  address: ${hutName}
dns:
  update-url: ${service}/update
  update-login: hut.login
  address-from: {program: [echo, 203.0.113.24]}
roads: {scope: ":9"}
`;
}
