import { join } from 'node:path';
import { MadeEngine } from './support/made-engine.ts';
import { folderWith, mileMarker } from './support/program.ts';

const stacks = {
  'stacks/log/compose.yaml':
    'services:\n  bird-log: {image: bird-log, ports: ["127.0.0.1:8080:80"], restart: always}\n',
  'stacks/cam/cam.yml': 'services:\n  nestcam: {image: nestcam, ports: ["127.0.0.1:8081:80"], restart: always}\n',
  'stacks/cam/summer.yml': 'services:\n  nestcam: {environment: [SEASON=summer]}\n',
};

test('what starts a service names the files of its project, as they are called from where one is', async () => {
  const folder = folderWith(stacks);
  const engine = new MadeEngine(join(folder, 'engine.sock'));
  await engine.start();
  const map = (files: string): Record<string, string> => ({
    ...stacks,
    'site/mile-marker.yaml': `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\ncompose: [${files}]\nengine: unix://${engine.socket}\nroads: {sightings: "bird-log:80", nestcam: "nestcam:80"}\n`,
  });
  const remedies = async (files: string, cwd: string): Promise<string[]> => {
    const site = folderWith(map(files));
    const { out } = await mileMarker(
      ['check', '--json', '--map', join(site, 'site/mile-marker.yaml')],
      join(site, cwd),
    );
    const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; remedy: string }> };
    return findings
      .filter(({ rule }) => rule === 'service-stopped')
      .map(({ remedy }) => remedy.replace(/docker[- ]compose/, 'COMPOSE').replaceAll(site, 'SITE'));
  };
  try {
    const files = '../stacks/log/compose.yaml, ../stacks/cam/cam.yml, ../stacks/cam/summer.yml';
    const cam = (place: string): string => `Start it: COMPOSE -f ${place}cam.yml -f ${place}summer.yml up -d nestcam`;
    expect(await remedies(files, 'site')).toEqual([
      'Start it: COMPOSE -f SITE/stacks/log/compose.yaml up -d bird-log',
      cam('SITE/stacks/cam/'),
    ]);
    expect(await remedies(files, '.')).toEqual([
      'Start it: COMPOSE -f stacks/log/compose.yaml up -d bird-log',
      cam('stacks/cam/'),
    ]);
    // Where the program finds it by itself nothing is named.
    expect((await remedies(files, 'stacks/log'))[0]).toBe('Start it: COMPOSE up -d bird-log');
  } finally {
    await engine.stop();
  }
});
