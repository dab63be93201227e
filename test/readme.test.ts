import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { readMap } from '../src/core/map/read-map.ts';
import { folderWith, mileMarker } from './support/program.ts';

/** What the README shows first is what a person tries first. */

const root = join(__dirname, '..');
const readme = readFileSync(join(root, 'README.md'), 'utf8');

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

/** Every page that a person reads; the table of faults is one of rows. */
const pages = ['README.md', 'CONTRIBUTING.md', ...pagesBelow('docs')].filter((page) => !page.endsWith('faults.md'));

function pagesBelow(folder: string): string[] {
  return readdirSync(join(root, folder), { recursive: true })
    .map((name) => join(folder, String(name)))
    .filter((name) => name.endsWith('.md'));
}

test.each(pages)('%s has no line above 300 characters, no paragraph above 90 words, and no dead link', (page) => {
  const text = readFileSync(join(root, page), 'utf8');
  expect(text.split('\n').filter((line) => line.length > 300)).toEqual([]);
  const prose = text.replace(/^```[\s\S]*?^```/gm, '');
  const paragraphs = prose.split(/\n\s*\n|\n(?=\s*[-*|] |\d+\. |#)/).filter((one) => !one.trimStart().startsWith('|'));
  expect(paragraphs.filter((one) => one.split(/\s+/).length > 90)).toEqual([]);
  const links = [...prose.matchAll(/\]\(([^)#\s]+)(?:#[^)]*)?\)/g)].map(([, link = '']) => link);
  const dead = links.filter((link) => !/^[a-z]+:/.test(link) && !existsSync(join(root, dirname(page), link)));
  expect(dead).toEqual([]);
});

test('a stranger reads the README in a minute', () => {
  expect(readme.split('\n').length).toBeLessThanOrEqual(111);
  expect([...readme.matchAll(/!\[/g)].length).toBeLessThanOrEqual(6);
  for (const picture of readdirSync(join(root, 'docs/screenshots')))
    expect(readme).toContain(`docs/screenshots/${picture}`);
});

test('every whole example of the guide is a map', () => {
  const text = readFileSync(join(root, 'docs/guide/12-examples.md'), 'utf8');
  const maps = [...text.matchAll(/^```yaml\n([\s\S]*?)^```/gm)].map(([, map = '']) => map);
  expect(maps.length).toBeGreaterThan(6);
  for (const map of maps) expect([map, readMap({ file: 'mile-marker.yaml', text: map }).findings]).toEqual([map, []]);
});
