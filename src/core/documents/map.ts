import { pageKinds } from '../map/site-map.ts';
import * as z from 'zod';
import { ruleDocuments } from '../road-rules/road-rules.ts';
import { proxyNames } from '../proxies/names.ts';
import {
  count,
  counts,
  endpoint,
  finding,
  findings,
  gate,
  headerPairs,
  leads,
  place,
  port,
  texts,
  upstream,
} from './shapes.ts';

const ports = z.strictObject({ http: port, https: port });

const front = z.strictObject({
  proxy: z.enum(proxyNames),
  container: z.string().nullable(),
  cluster: z
    .strictObject({ nodes: z.array(z.string()), networks: z.array(z.string()) })
    .nullable()
    .describe('nodes of the cluster on which that container is a service, and its networks'),
  addresses: texts,
  names: texts,
  home: texts,
  ports,
  listen: z.strictObject({ addresses: texts, http: port, https: port }),
  mark: endpoint,
  unknown: z.union([
    z.strictObject({ act: z.enum(['refuse', 'not-found']) }),
    z.strictObject({ act: z.literal('redirect'), url: z.string() }),
  ]),
  edge: z
    .strictObject({ networks: texts, header: z.string(), replaces: z.boolean(), speaks: z.enum(['https', 'http']) })
    .nullable(),
  where: place,
});

const rawPort = z.strictObject({
  name: z.string(),
  port,
  protocol: z.enum(['tcp', 'udp']),
  gate,
  to: z
    .strictObject({
      host: z.string(),
      port,
      byName: z.boolean(),
      service: z.string().nullable(),
      why: z.string(),
    })
    .nullable(),
  tls: z.strictObject({ name: z.string(), certificate: z.string() }).nullable(),
  proxyProtocol: z.boolean(),
  where: place,
});

const rules = z.strictObject(ruleDocuments);

const road = z.strictObject({
  name: z.string(),
  display: z.string(),
  url: z.string(),
  gate,
  paused: z.boolean(),
  rules,
  parts: z.array(z.strictObject({ prefix: z.string(), leads, where: place })),
  where: place,
});

const answerRules = z.strictObject({ drop: texts, set: headerPairs, defaults: headerPairs });
const headers = z.record(z.string(), z.string());
const because = z.array(z.looseObject({ step: z.string() }));
const verdict = z.discriminatedUnion('act', [
  z.strictObject({ act: z.literal('no-handshake'), because }),
  z.strictObject({ act: z.literal('close'), because }),
  z.strictObject({
    act: z.literal('answer'),
    status: z.int(),
    location: z.string().optional(),
    headers,
    body: z.string().optional(),
    page: z.enum(pageKinds).optional().describe('the page of `pages` that is shown'),
    because,
  }),
  z.strictObject({
    act: z.literal('forward'),
    upstream,
    target: z.string(),
    headers,
    without: texts,
    silenceSeconds: z.number(),
    bodyLimitBytes: z.number().nullable(),
    answer: answerRules,
    because,
  }),
  z.strictObject({
    act: z.literal('ask'),
    ...{ said: z.string(), upstream, target: z.string(), headers, tell: texts, because },
  }),
  z.strictObject({
    act: z.literal('relay'),
    ...{ said: z.string(), status: z.int(), location: z.string().optional(), answer: answerRules, because },
  }),
  z.strictObject({
    act: z.literal('folder'),
    root: z.string(),
    path: z.string().nullable(),
    target: z.string(),
    headers,
    because,
  }),
]);

const viewpoint = z.strictObject({
  label: z.string(),
  peer: z.string(),
  person: z.string().nullable(),
  knownIn: texts,
  word: z
    .strictObject({ status: z.int(), location: z.string().optional(), told: headers })
    .optional()
    .describe('what services that gates ask say of this visitor'),
  device: z
    .strictObject({ state: z.literal('good'), name: z.string() })
    .optional()
    .describe('the device whose certificate this visitor shows'),
});

const explained = z.array(
  z.strictObject({
    step: z.string(),
    outcome: z.enum(['passes', 'decides', 'not-reached']),
    words: z.string(),
    mapLine: count,
  }),
);
const access = z.array(z.enum(['passes', 'password', 'asked', 'refused', 'paused', 'nowhere']));

/** About the map and what it means. */
export const mapDocuments = {
  check: { map: z.string(), roads: count, findings, summary: z.strictObject(counts) },
  roads: { map: z.string(), front, roads: z.array(road), ports: z.array(rawPort) },
  edit: { map: z.string(), road: z.string(), changed: z.boolean(), findings: z.array(finding) },
  explain: {
    map: z.string(),
    request: z.looseObject({
      listener: z.enum(['http', 'https']),
      method: z.string(),
      target: z.string(),
      peer: z.string(),
    }),
    verdict,
    client: z.string(),
    steps: explained,
  },
  'explain-port': { map: z.string(), port: z.string(), peer: z.string(), admitted: z.boolean(), steps: explained },
  exposure: {
    map: z.string(),
    viewpoints: z.array(viewpoint),
    rows: z.array(
      z.strictObject({
        road: z.string(),
        target: z.string(),
        cells: access,
      }),
    ),
    ports: z.array(z.strictObject({ port: z.string(), cells: access })),
  },
  devices: {
    map: z.string(),
    devices: z.array(
      z.strictObject({
        name: z.string(),
        made: z.string(),
        ends: z.string(),
        removed: z.string().nullable(),
        others: count.describe('earlier certificates that still count'),
        gates: texts,
      }),
    ),
  },
  people: {
    map: z.string(),
    file: z.string(),
    gates: texts,
    people: z.array(
      z.strictObject({
        name: z.string(),
        line: count,
        kind: z.string(),
        cost: z.number().nullable(),
        milliseconds: z.number(),
        verifiable: z.boolean(),
        weak: z.boolean(),
      }),
    ),
    bad: z.array(z.strictObject({ line: count, why: z.string(), name: z.string() })),
  },
};
