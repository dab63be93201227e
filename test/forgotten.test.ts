import { mkdirSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { practiceHead } from './support/site.ts';
import { folderWith, mileMarker, type Ran } from './support/program.ts';

/** What stood open, unused or half done for a month: said by check, and once a month by the run of every night. */

const day = 86_400_000;
const hash = `$2y$10$${'a'.repeat(53)}`;
const begin = Date.UTC(2026, 4, 1, 12);
let folder: string;
let head: string;

const at = (days: number, ...argv: string[]): Promise<Ran> =>
  mileMarker(argv, folder, {}, { now: () => new Date(begin + days * day) });

const gates = 'gates: {wardens: {people: wardens.htpasswd}}\n';
const map = (roads: string): void => writeFileSync(join(folder, 'mile-marker.yaml'), `${head}${gates}roads:\n${roads}`);

const roads = `  nestcam: {to: ":9", gate: everyone}
  tides: {to: ":9", gate: everyone, paused: true}
  roster: {to: ":9", gate: wardens, log: true}
  bare: {redirect: "https://nestcam.saltmarsh.example", gate: everyone}
`;

/** The password file was changed so many days after the beginning. */
function changedOn(days: number): void {
  const time = new Date(begin + days * day);
  utimesSync(join(folder, 'wardens.htpasswd'), time, time);
}

/** Rules of what `check` says is forgotten, with their words. */
async function told(days: number): Promise<string[]> {
  const { out } = await at(days, 'check', '--json');
  const { findings } = JSON.parse(out) as { findings: Array<{ rule: string; message: string }> };
  const ours = ['open-for-long', 'paused-for-long', 'road-without-visitors', 'person-never-seen', 'certificate-unused'];
  return findings.filter(({ rule }) => ours.includes(rule)).map(({ rule, message }) => `${rule}: ${message}`);
}

/** A line of the combined format, so many days after the beginning. */
function logged(days: number, person: string, status: number): string {
  const [, date = '', month = '', year = '', time = ''] =
    /^\w+, (\d+) (\w+) (\d+) ([\d:]+) /.exec(new Date(begin + days * day).toUTCString()) ?? [];
  return `192.0.2.7 - ${person} [${date}/${month}/${year}:${time} +0000] "GET / HTTP/1.1" ${String(status)} 5 "-" "-"\n`;
}

beforeAll(async () => {
  ({ head } = await practiceHead());
  folder = folderWith({
    'wardens.htpasswd': `edda:${hash}\nfinn:${hash}\n`,
  });
  map(roads);
  changedOn(0);
  await at(0, 'write');
});

test('nothing is forgotten before a month has passed; then each is said with its date', async () => {
  expect(await told(29)).toEqual([]);
  expect(await told(31)).toEqual([
    'open-for-long: Open to everyone for a month or longer: nestcam.saltmarsh.example since 2026-05-01.',
    'paused-for-long: tides.saltmarsh.example has been paused since 2026-05-01.',
  ]);
  // Somebody opens it later, closes it, and opens it again: it counts from the last time.
  map(roads.replace('nestcam: {to: ":9", gate: everyone}', 'nestcam: {to: ":9", gate: home}'));
  await at(40, 'write');
  expect(await told(41)).toHaveLength(1);
  map(roads.replace(', paused: true', ''));
  await at(42, 'write');
  expect(await told(71)).toEqual([]);
  expect(await told(73)).toEqual([
    'open-for-long: Open to everyone for a month or longer: nestcam.saltmarsh.example since 2026-06-12, tides.saltmarsh.example since 2026-06-12.',
  ]);
  map(roads.replace('gate: everyone}', 'gate: everyone, meant-so: [open-for-long]}').replace(', paused: true', ''));
  expect(await told(73)).toEqual([expect.stringContaining('longer: tides.saltmarsh.example')]);
  map(roads);
});

test('logs tell who never came, as far as they go back', async () => {
  mkdirSync(join(folder, '.mile-marker/logs'), { recursive: true });
  const file = join(folder, '.mile-marker/logs/roster.saltmarsh.example.log');
  const write = (...lines: string[]): void => writeFileSync(file, `not a line of a log\n${lines.join('')}`);
  const from = async (): Promise<string[]> => (await told(60)).filter((one) => /^(person|road-without)/.test(one));
  write(logged(50, 'finn', 200));
  expect(await from()).toEqual([]);
  write(logged(1, 'finn', 200), logged(2, 'edda', 401), logged(55, 'finn', 200));
  expect(await from()).toEqual(['person-never-seen: Nobody logged in at the gate `wardens` as edda since 2026-05-31.']);
  // What was rotated away counts too, and a name that was refused is nobody's visit.
  writeFileSync(`${file}.1`, logged(1, 'edda', 200));
  write(logged(50, 'edda', 200), logged(55, 'finn', 401));
  expect(await from()).toEqual(['person-never-seen: Nobody logged in at the gate `wardens` as finn since 2026-05-31.']);
  // Somebody was added a week ago, and nobody knows who.
  changedOn(53);
  expect(await from()).toEqual([]);
  changedOn(0);
  write(logged(50, '-', 403), logged(51, '-', 502));
  expect(await from()).toEqual([
    'person-never-seen: Nobody logged in at the gate `wardens` as edda, finn since 2026-05-31.',
    'road-without-visitors: roster.saltmarsh.example has had no visitors since 2026-05-02, according to its log.',
  ]);
});

test('a certificate that no road uses is said, and the remedy takes it away', async () => {
  map(`${roads}  moon: {to: ":9", gate: everyone}\n`);
  await at(60, 'certs', 'make');
  expect(await told(60)).not.toContainEqual(expect.stringContaining('certificate-unused'));
  map(roads);
  expect(await told(60)).toContainEqual('certificate-unused: No road uses these certificates: moon.saltmarsh.example.');
  // While an edition is kept that needs it, it is needed.
  map(`${roads}  moon: {to: ":9", gate: everyone}\n`);
  await at(60, 'write');
  map(roads);
  expect(await told(60)).not.toContainEqual(expect.stringContaining('certificate-unused'));
  rmSync(join(folder, '.mile-marker/front'), { recursive: true });
  expect(readdirSync(join(folder, '.mile-marker/certificates'))).toContain('moon.saltmarsh.example');
  const { out } = await at(60, 'check');
  expect(out.replace(/\s+/g, ' ')).toContain(
    `remove their folders: ${join(folder, '.mile-marker/certificates/moon.saltmarsh.example')}`,
  );
});

test('a run of every night says it once a month', async () => {
  const night = async (days: number): Promise<boolean> =>
    (await at(days, 'verify', '--since', '--timeout', '500ms')).out.includes('once a month:');
  expect([await night(70), await night(71), await night(99), await night(101)]).toEqual([true, false, false, true]);
});
