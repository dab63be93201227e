import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from './support/program.ts';

/** What other programs import: the examples of `docs/api.md`, as they stand there. */

const root = join(__dirname, '..');
const map = `domains: [saltmarsh.example]
front:
  address: 203.0.113.24
  home-networks: [192.168.64.0/24]
roads:
  nestcam: {to: "nestcam:3000", gate: everyone}
  sightings: bird-log:8080
`;
const compose = 'services: {nestcam: {ports: ["127.0.0.1:3000:3000"]}, bird-log: {ports: ["127.0.0.1:8080:8080"]}}\n';

function project(): string {
  const folder = folderWith({ 'mile-marker.yaml': map, 'compose.yaml': compose, 'package.json': '{"type": "module"}' });
  mkdirSync(join(folder, 'node_modules'));
  symlinkSync(root, join(folder, 'node_modules/mile-marker'));
  return folder;
}

const page = readFileSync(join(root, 'docs/api.md'), 'utf8');
const examples = [...page.matchAll(/```js\n([^]*?)```\n\n```text\n([^]*?)```/g)].map(([, code = '', says = '']) => ({
  code,
  says,
}));

test.each(examples.map(({ code, says }, index) => [index + 1, code, says] as const))(
  'example %i says what stands below it',
  (_, code, says) => {
    const folder = project();
    writeFileSync(join(folder, 'example.js'), code);
    const { stdout, stderr } = spawnSync(process.execPath, ['example.js'], { cwd: folder, encoding: 'utf8' });
    expect(stderr).toBe('');
    expect(stdout).toBe(says);
  },
);

test('there are three examples', () => expect(examples).toHaveLength(3));
