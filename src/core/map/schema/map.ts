import * as z from 'zod';
import { acme, certificate, dns } from './certificates.ts';
import { front } from './front.ts';
import { gate } from './gates.ts';
import { labels } from './labels.ts';
import { machine } from './machines.ts';
import { pages } from './pages.ts';
import { ports } from './ports.ts';
import { road } from './road.ts';
import { about, flag, hostName, label, network, oneOrMany, path, wants } from './words.ts';

/**
 * The map: the one definition of every key, its type, default and words. Everything else (types, error texts, the list
 * of known keys, the reference page, the JSON Schema) is read from here. What one value alone can prove is checked here;
 * what needs two is in `normalize.ts`.
 */
const engineWords = wants('none, unix:///PATH, or tcp://HOST:PORT');
const engine = z
  .string(engineWords)
  .regex(/^(none|unix:\/\/\/[^\u0000-\u001f]+|(tcp|https?):\/\/[^\s/]+)$/, engineWords);

const named = <T extends z.ZodType>(what: string, value: T) =>
  z.record(label(`the name of a ${what}`), value, wants(`names of ${what}s with their keys`));

export const mapSchema = z.strictObject(
  {
    domains: oneOrMany(hostName, 'a domain or a list of domains').meta(
      about('Your domains. Short road names belong to the first.', '[saltmarsh.example, reedbed.example]'),
    ),
    front: front.meta(about('The public side.', '{address: 203.0.113.24}')),
    compose: oneOrMany(path('the path of a Compose file'), 'a path or a list of paths')
      .optional()
      .meta(about('Compose files, relative to the map; several are merged.', '[compose.yaml]')),
    engine: engine
      .optional()
      .meta(
        about(
          'Where the container engine answers its HTTP API. Default: DOCKER_HOST, else the usual socket if it is there. `none` does not ask it.',
          'unix:///run/engine.sock',
        ),
      ),
    machines: named('machine', machine)
      .optional()
      .meta(
        about(
          'Other hosts whose containers the map leads to, as `SERVICE@MACHINE:PORT`.',
          '{hide: {engine: ssh://keeper@192.168.64.9, address: 192.168.64.9}}',
        ),
      ),
    'private-networks': oneOrMany(network, 'a network or a list of networks')
      .optional()
      .meta(
        about(
          'Networks that nobody else is on, such as a tunnel: clear text between machines is fine there.',
          '[10.77.0.0/24]',
        ),
      ),
    cluster: flag
      .optional()
      .meta(
        about(
          'Whether the engine is a manager of a cluster (its own cluster mode), whose services roads may lead to. Put no stack files under `compose`.',
          'true',
        ),
      ),
    acme: acme
      .optional()
      .meta(about('The authority that issues the certificates.', '{directory: production, challenge: dns}')),
    dns: dns
      .optional()
      .meta(
        about('How records are published. By hand without it.', '{server: "192.168.64.3:53", key: tsig-marsh.key}'),
      ),
    certificates: named('certificate', certificate)
      .optional()
      .meta(
        about(
          'Certificates by name. Without it: one for each name, from acme when the map has `acme`, else from practice.',
          '{marsh: {names: [saltmarsh.example], wildcard: true}}',
        ),
      ),
    gates: named('gate', gate)
      .optional()
      .meta(
        about('Access rules by name. `everyone` and `home` are built in.', '{wardens: {people: wardens.htpasswd}}'),
      ),
    roads: z
      .preprocess((value) => value ?? {}, z.record(z.string(), road, wants('names with where they lead')))
      .meta(
        about(
          'One public name each, and where it leads. A key that ends in one of `domains`, or with a dot, is the full name; any other is short and belongs to the first. `others` is every other name one label below the first domain; it needs a wildcard certificate, which an authority proves by DNS only.',
          '{sightings: bird-log:8080}',
        ),
      ),
    ports: ports
      .optional()
      .meta(
        about(
          'Raw ports, not the web: what arrives there is passed on as it is.',
          '{27015/udp: field-radio:27015, 8883/tcp: {to: weather-mast:1883, tls: true}}',
        ),
      ),
    pages: pages
      .optional()
      .meta(
        about(
          'Pages of your own, in place of plain words: HTML files that are read when the configuration is written. Each stands alone: the front shows no pictures or styles beside it.',
          '{paused: pages/back-soon.html}',
        ),
      ),
    labels: labels
      .optional()
      .meta(
        about(
          'How far labels of containers are obeyed: a container that says `mile-marker.road` gets its road without a line in the map. The map itself always comes first.',
          '{obey: lab.saltmarsh.example}',
        ),
      ),
  },
  wants('keys with values'),
);

export type MapKeys = z.output<typeof mapSchema>;
export type RoadKeys = MapKeys['roads'][string];
export type PortKeys = NonNullable<MapKeys['ports']>[string];
