import * as z from 'zod';
import { findings, port, process, protocol, texts } from './shapes.ts';

const listens = z.strictObject({
  inside: port.nullable(),
  protocol,
  published: z.strictObject({ address: z.string().nullable(), port: port.nullable() }).nullable(),
  isOnHost: z.boolean(),
  isSeen: z.boolean().nullable(),
});

const service = z.strictObject({
  title: z.string(),
  name: z.string(),
  image: z.string().nullable(),
  state: z.enum(['created', 'running', 'paused', 'restarting', 'removing', 'exited', 'dead', 'none']).nullable(),
  health: z.enum(['healthy', 'unhealthy', 'starting']).nullable(),
  exitCode: z.int().nullable(),
  profiles: texts,
  declared: z.boolean(),
  inNoFile: z.boolean(),
  running: z.boolean(),
  listens: z.array(listens),
  roads: texts,
  apart: z.string().nullable(),
});

const owner = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('front'), listener: z.string() }),
  z.strictObject({ kind: z.literal('mark') }),
  z.strictObject({ kind: z.literal('service'), service: z.string() }),
  z.strictObject({ kind: z.literal('road'), road: z.string() }),
  z.strictObject({ kind: z.literal('processes'), processes: z.array(process) }),
  z.strictObject({ kind: z.literal('hidden') }),
]);

const proposals = z.array(
  z.strictObject({
    key: z.string(),
    name: z.string(),
    service: z.string(),
    ports: z.array(port),
    wish: z.string().nullable(),
  }),
);
const passedOver = z.array(z.strictObject({ service: z.string(), why: z.string() }));

const served = z.strictObject({
  by: z.string(),
  blocks: z.array(
    z.strictObject({
      file: z.string(),
      line: z.int(),
      names: texts,
      listens: z.array(port),
      defaultOn: z.array(port),
      ofAnotherMap: z.boolean(),
      isTwin: z.literal(true).optional(),
    }),
  ),
  problem: z.string().nullable(),
  refuses: z.boolean(),
});

/** About what runs here. */
export const surveyDocuments = {
  survey: {
    map: z.string().nullable(),
    asked: z.boolean(),
    projects: z.array(
      z.strictObject({ machine: z.string().nullable(), project: z.string().nullable(), services: z.array(service) }),
    ),
    hostPorts: z.array(
      z.strictObject({ road: z.string(), port, owner: z.string().nullable(), owners: z.array(process) }),
    ),
    nowhere: z.array(z.strictObject({ road: z.string(), to: z.string(), why: z.string() })),
    served: z.array(served),
    proposals,
    passedOver,
    findings,
  },
  'survey-add': { map: z.string(), added: texts, proposals, passedOver },
  ports: {
    asked: z.boolean(),
    ports: z.array(
      z.strictObject({
        machine: z.string().nullable(),
        port,
        protocol,
        address: z.string().nullable(),
        owner,
        source: z.enum(['map', 'compose', 'container', 'socket']),
      }),
    ),
  },
  'free-port': { from: port, port },
};
