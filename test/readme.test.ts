import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith, mileMarker } from './support/program.ts';

/** What the README shows first is what a person tries first. */

const readme = readFileSync(join(__dirname, '../README.md'), 'utf8');

function blocks(language: string): string[] {
  return [...readme.matchAll(new RegExp(`^\`\`\`${language}\\n([\\s\\S]*?)^\`\`\``, 'gm'))].map(
    ([, text = '']) => text,
  );
}

test('the map at the top is right as it stands', async () => {
  const [map = ''] = blocks('yaml');
  const folder = folderWith({
    'mile-marker.yaml': map,
    'compose.yaml': `services:
  bird-log:
    restart: unless-stopped
    ports: ["127.0.0.1:8081:8080"]
  nestcam:
    restart: unless-stopped
    ports: ["127.0.0.1:3001:3000"]
`,
    'site/index.html': 'the marsh',
  });
  const { out } = await mileMarker(['check', '--json'], folder);
  const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; severity: string; message: string }> };
  // What depends on the machine that runs this is no matter of the map.
  const ofMachine = [
    'no-certificate',
    'front-port-taken',
    'front-not-at-boot',
    'default-server-taken',
    'folder-not-shown',
  ];
  expect(findings.filter(({ rule, severity }) => severity !== 'note' && !ofMachine.includes(rule))).toEqual([]);
});

test('its first commands do what it says, in an empty folder', async () => {
  const commands = blocks('sh')
    .flatMap((block) => block.split('\n'))
    .filter((line) => line.startsWith('mile-marker '));
  const first = commands.slice(0, commands.findIndex((line) => line.startsWith('mile-marker pause')) + 1);
  expect(first.length).toBeGreaterThan(3);
  const folder = folderWith({
    'compose.yaml':
      'services: {bird-log: {ports: ["127.0.0.1:8081:8080"]}, nestcam: {ports: ["127.0.0.1:3001:3000"]}}\n',
  });
  for (const line of first) {
    const argv = line.replace(/#.*/, '').trim().split(/\s+/).slice(1);
    expect([line, (await mileMarker(argv, folder)).code]).toEqual([line, 0]);
  }
  const map = readFileSync(join(folder, 'mile-marker.yaml'), 'utf8');
  expect(map).toContain('  sightings: bird-log:8080\n');
  expect(map).toContain('  nestcam:\n    to: nestcam:3000\n    gate: home\n    paused: true\n');
});
