import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { NewestRun } from '../src/core/legs/journal.ts';
import { folderWith, mileMarker } from './support/program.ts';

test('write leaves a note for each service: what to set in it, and what verify saw', async () => {
  const map = (more: string): string => `domains: [saltmarsh.example]
front: {address: 203.0.113.24, home-networks: [192.168.64.0/24], ports: {http: 80, https: 8443}}
compose: [compose.yaml]
engine: none
roads:
  nestcam: {to: "nestcam:3000", gate: everyone, body-limit: 64MiB, timeout: 5m, paths: {/clock: ":9100"}}
  workbench: ":9400"
  office: {to: "http://192.168.64.11:8080", gate: everyone, methods: [GET, HEAD]}
${more}`;
  const folder = folderWith({
    'mile-marker.yaml': map('  old: ":9500"\n'),
    'compose.yaml':
      'name: observatory\nservices:\n  nestcam:\n    image: nestcam\n    ports: ["127.0.0.1:8082:3000"]\n',
  });
  const notes = join(folder, '.mile-marker/services');
  const { err } = await mileMarker(['write'], folder);
  expect(err).toContain('What to set in each service: .mile-marker/services\n');
  const all = [
    'nestcam.md',
    'nestcam.saltmarsh.example.md',
    'office.saltmarsh.example.md',
    'workbench.saltmarsh.example.md',
  ];
  expect(readdirSync(notes)).toEqual(
    [...all.slice(0, 2), 'office.saltmarsh.example.md', 'old.saltmarsh.example.md', all[3]].sort(),
  );
  const text = (name: string): string => readFileSync(join(notes, name), 'utf8');
  expect(text('nestcam.md')).toMatch(
    /# nestcam\n[^]*- https:\/\/nestcam\.saltmarsh\.example:8443\/\n[^]*container network: ask the engine[^]*\| `x-forwarded-host` \| `nestcam\.saltmarsh\.example:8443` \|[^]*Uploads: up to 64MiB[^]*silent for 5m/,
  );
  expect(text('nestcam.saltmarsh.example.md')).toContain('It must know that it lives below `/clock`');
  expect(text('workbench.saltmarsh.example.md')).toMatch(/must trust\n\n- `127\.0\.0\.1`\n/);
  expect(text('office.saltmarsh.example.md')).toMatch(
    /network of `192\.168\.64\.11`[^]*gate `everyone`, by GET, HEAD alone/,
  );
  expect(text('nestcam.md')).not.toContain('What verify saw');
  // A service that is gone has no note; what somebody else put there stays.
  writeFileSync(join(notes, 'mine.md'), '# my own\n');
  const seen = {
    road: 'nestcam.saltmarsh.example',
    millis: 12,
    legs: [{ leg: 'websocket' as const, outcome: 'wrong' as const, says: 'refused' }],
  };
  const finding = {
    rule: 'websocket-not-passed',
    severity: 'error' as const,
    cause: 'x',
    roads: [seen.road],
    message: 'It refuses them.',
    remedy: 'Switch them on.',
  };
  const newest: NewestRun = { at: '2026-11-29T03:10:00.000Z', vantage: '', roads: [seen], findings: [finding] };
  mkdirSync(join(folder, '.mile-marker'), { recursive: true });
  writeFileSync(join(folder, '.mile-marker/newest-run.json'), JSON.stringify(newest));
  writeFileSync(join(folder, 'mile-marker.yaml'), map(''));
  await mileMarker(['write'], folder);
  expect([existsSync(join(notes, 'old.saltmarsh.example.md')), text('mine.md')]).toEqual([false, '# my own\n']);
  expect(text('nestcam.md')).toMatch(
    /the newest run of verify: wrong, refused\.[^]*What verify saw on 2026-11-29\n\n- websocket-not-passed: It refuses them\. Switch them on\./,
  );
  // What verify saw makes no new edition.
  expect((await mileMarker(['write'], folder)).err).toContain('Nothing changed. Edition 0002 matches the map already.');
  // Nor does it stand in the way when it cannot be read.
  rmSync(join(folder, '.mile-marker/newest-run.json'));
  mkdirSync(join(folder, '.mile-marker/newest-run.json'));
  expect((await mileMarker(['write'], folder)).code).toBe(0);
  const elsewhere = await mileMarker(['write', '--out', 'elsewhere'], folder);
  expect([elsewhere.code, existsSync(join(folder, 'services'))]).toEqual([0, false]);
});
