import { appendFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { page } from './faults/does.ts';
import { startFront, type ProxyName } from './support/fronts.ts';
import { listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** What runs at the front, beside what is written and what the map says: the one cause of much that "changed nothing". */

interface Said {
  code: number | null;
  /** Of what is worth telling: severity, rule, roads without the domain, and the sentence. */
  told: Array<[string, string, string, string]>;
  away: string[];
}

async function look(folder: string): Promise<Said> {
  const { code, out } = await mileMarker(['verify', '--at', '127.0.0.1', '--json'], folder);
  const { findings, explained } = JSON.parse(out) as {
    findings: Array<{ severity: string; rule: string; roads: string[]; message: string }>;
    explained: Array<{ rule: string; road: string; by: string }>;
  };
  const short = (road: string): string => road.replace('.saltmarsh.example', '');
  return {
    code,
    told: findings
      .filter(({ rule }) => rule !== 'certificate-practice')
      .map(({ severity, rule, roads, message }) => [severity, rule, roads.map(short).join(), message]),
    away: explained.map(({ rule, road, by }) => `${short(road)}: ${rule} by ${by}`),
  };
}

test.each<[ProxyName]>([['builtin'], ['nginx']])(
  '%s: a change that is not live is the one cause that is told',
  async (proxy) => {
    const server = await listening(
      http.createServer((request, response) => page('Nest camera', request, response)),
      0,
    );
    const to = `":${String(portOf(server))}"`;
    const { head, mark } = await practiceHead(proxy);
    const folder = folderWith({ 'mile-marker.yaml': `${head}roads:\n  nestcam: {to: ${to}, gate: everyone}\n` });
    const map = join(folder, 'mile-marker.yaml');
    const front = await startFront(folder, proxy);
    const marked = async (): Promise<string> => (await fetch(`http://127.0.0.1:${String(mark)}/mark`)).text();
    const isNewest = { code: 0, told: [], away: [] };
    const refused = 'roster: handshake-refused by front-not-newest';
    try {
      expect(await look(folder)).toEqual(isNewest);
      appendFileSync(map, '# words for people\n');
      expect(await look(folder)).toEqual(isNewest);

      // One road more, and nothing done about it: what is well stays well, and what is not says why.
      appendFileSync(map, `  roster: {to: ${to}, gate: everyone}\n`);
      await mileMarker(['certs', 'make'], folder);
      const edited = await look(folder);
      const words = proxy === 'builtin' ? 'the front was started before the last change' : 'which was written last';
      expect(edited.told).toEqual([['error', 'front-not-newest', 'roster', expect.stringContaining(words)]]);
      expect([edited.code, edited.away]).toEqual([1, expect.arrayContaining([refused])]);

      const before = await marked();
      if (proxy === 'nginx') {
        await mileMarker(['write'], folder);
        const written = await look(folder);
        expect(written.told).toEqual([
          [
            'error',
            'front-not-newest',
            'nestcam,roster',
            expect.stringContaining('edition 0001, but the newest written one is edition 0002'),
          ],
        ]);
        expect(written.away).toContain(refused);
      }
      await front.reload();
      for (let tries = 0; (await marked()) === before && tries < 400; tries += 1) await delay(25);
      expect(await look(folder)).toEqual(isNewest);
    } finally {
      await front.stop();
      server.close();
    }
  },
);
