import { spawn } from 'node:child_process';
import http from 'node:http';
import { listening, portOf } from './support/ports.ts';
import { ended, folderWith, launch, program, says, stop } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** Many roads, and services that hang: what verify needs of memory, and whom it keeps waiting. */

interface Report {
  summary: { errors: number; warnings: number; notes: number };
  findings: Array<{ rule: string; roads: string[] }>;
  roads: unknown[];
}

const road = (name: string, server: http.Server): string =>
  `  ${name}: {to: ":${String(portOf(server))}", gate: everyone}\n`;

async function verify(roads: string, argv: string[], heapMiB = 96): Promise<Report> {
  // One certificate for all of them: what is tested here is not how keys are made.
  const { head } = await practiceHead('builtin', 'certificates: {marsh: {names: saltmarsh.example, wildcard: true}}\n');
  const folder = folderWith({ 'mile-marker.yaml': `${head}roads:\n${roads}` });
  expect((await ended(launch(['certs', 'make'], folder), 120_000)).code).toBe(0);
  const front = launch(['serve'], folder);
  try {
    await says(front, 'Serving');
    const env = { PATH: process.env['PATH'] ?? '', HOME: folder, DOCKER_HOST: 'none' };
    const all = [`--max-old-space-size=${String(heapMiB)}`, program, 'verify', '--at', '127.0.0.1', '--json', ...argv];
    const { out, err } = await ended(spawn(process.execPath, all, { cwd: folder, env }), 240_000);
    if (out === '') throw new Error(err);
    return JSON.parse(out) as Report;
  } finally {
    await stop(front, 'SIGTERM');
  }
}

function closeAll(servers: readonly http.Server[]): void {
  for (const server of servers) {
    server.close();
    server.closeAllConnections();
  }
}

test('a hundred and fifty roads with pages of 190 kB, kept by none of the questions, are tested with a heap of 48 MiB', async () => {
  const page = `<title>Hide</title>${'<p>one gull and another gull'.repeat(7000)}`;
  const server = await listening(
    http.createServer((_, response) => response.setHeader('content-type', 'text/html').end(page)),
    0,
  );
  const roads = Array.from({ length: 150 }, (_, index) => road(`hide${String(index)}`, server));
  const { summary, roads: tested } = await verify(roads.join(''), [], 48).finally(() => closeAll([server]));
  const well = { well: 150, untested: 0, unsure: 0, faulty: 0 };
  expect({ summary, roads: tested.length }).toEqual({
    summary: { errors: 0, warnings: 0, notes: 0, roads: well },
    roads: 150,
  });
}, 600_000);

test('services that hang keep nobody else waiting: they answer when all others have been asked, and nobody was given up', async () => {
  const quick = 20;
  const asked = new Set<number>();
  const waiting: Array<() => void> = [];
  const quickServers = await Promise.all(
    Array.from({ length: quick }, (_, index) =>
      listening(
        http.createServer((_, response) => {
          response.end(`<title>Quick ${String(index)}</title>`);
          asked.add(index);
          if (asked.size === quick) for (const go of waiting.splice(0)) go();
        }),
        0,
      ),
    ),
  );
  const slowServers = await Promise.all(
    Array.from({ length: 40 }, (_, index) =>
      listening(
        http.createServer((_, response) => {
          const go = (): void => void response.end(`<title>Slow ${String(index)}</title>`);
          if (asked.size === quick) go();
          else waiting.push(go);
        }),
        0,
      ),
    ),
  );
  const slow = slowServers.map((server, index) => road(`slow${String(index)}`, server));
  const rest = quickServers.map((server, index) => road(`quick${String(index)}`, server));
  const { findings } = await verify([...slow, ...rest].join(''), ['--timeout', '10s']).finally(() =>
    closeAll([...quickServers, ...slowServers]),
  );
  expect(findings.map(({ rule }) => rule)).toEqual([]);
});
