import http from 'node:http';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { startDns } from '../src/demo/dns.ts';
import { changesSince, type VerifyEntry } from '../src/core/legs/journal.ts';
import { startFront } from './support/fronts.ts';
import { freePorts, listening } from './support/ports.ts';
import { folderWith, mileMarker, mileMarkerProcess } from './support/program.ts';
import { practiceHead } from './support/site.ts';

test('runs are kept: what came and went is said, told to a program, and written for build servers', async () => {
  const [port = 0] = await freePorts(1);
  const serve = (): Promise<http.Server> =>
    listening(
      http.createServer((_, response) => response.end(`<title>Bird log</title>${'<li>gull'.repeat(12)}`)),
      port,
    );
  const { head } = await practiceHead();
  const records = new Map([
    ['log.saltmarsh.example', '127.0.0.1'],
    ['old.saltmarsh.example', '127.0.0.1'],
  ]);
  const dns = await startDns({ domains: ['saltmarsh.example'], records });
  const folder = folderWith({
    'mile-marker.yaml': `${head}roads:\n  log: {to: ":${String(port)}", gate: everyone}\n  old: {redirect: "https://log.saltmarsh.example", gate: everyone}\n`,
    'keep.mjs':
      "import { writeFileSync } from 'node:fs'; import { text } from 'node:stream/consumers'; writeFileSync('told.json', await text(process.stdin));",
  });
  let service = await serve();
  const front = await startFront(folder, 'builtin');
  const argv = ['verify', '--resolver', `127.0.0.1:${String(dns.port)}`, '--since', '--junit', 'out.xml'];
  const shown = ['--metrics', 'out.metrics', '--report', 'roads.html'];
  const notify = ['--notify', process.execPath, '--notify', 'keep.mjs'];
  // The program of --notify runs where the command was started.
  const run = () => mileMarkerProcess([...argv, ...shown, ...notify], folder);
  try {
    expect((await run()).err).toContain('There is no earlier run over the whole map.');
    expect((await run()).err).toMatch(/No new and no fixed findings since \d{4}-\d\d-\d\d \d\d:\d\d UTC\./);
    expect(existsSync(join(folder, 'told.json'))).toBe(false);
    expect(readFileSync(join(folder, 'out.xml'), 'utf8')).toContain(
      '<testsuite name="log.saltmarsh.example" tests="8" failures="0">',
    );
    await new Promise((resolve) => {
      service.close(resolve);
      service.closeAllConnections();
    });
    const broken = await run();
    expect([broken.code, broken.err]).toEqual([
      1,
      expect.stringMatching(/ {2}new +service-down: log\.saltmarsh\.example/),
    ]);
    const told = JSON.parse(readFileSync(join(folder, 'told.json'), 'utf8')) as {
      since: { come: Array<{ rule: string }> };
    };
    expect(told.since.come.map(({ rule }) => rule)).toEqual(['service-down']);
    const xml = readFileSync(join(folder, 'out.xml'), 'utf8');
    expect(xml).toMatch(
      /<testcase classname="log\.saltmarsh\.example" name="service"><failure message="down">log\.saltmarsh/,
    );
    expect(readFileSync(join(folder, 'out.metrics'), 'utf8')).toMatch(
      /mile_marker_road_well\{road="log\.saltmarsh\.example"\} 0\n[^]*mile_marker_leg_ok\{road="log\.saltmarsh\.example",leg="service"\} 0\n[^]*mile_marker_answer_seconds\{road="old\.saltmarsh\.example"\} 0\.\d+\n[^]*# EOF\n$/,
    );
    expect(readFileSync(join(folder, 'roads.html'), 'utf8').replace(/<[^>]+>/g, '')).toMatch(
      /Latest test: .*less than a minute before this page was made/,
    );
    const ofOne = await mileMarker(['verify', 'old', '--metrics', 'out.metrics'], folder);
    expect([ofOne.code, ofOne.err]).toEqual([2, expect.stringMatching(/--metrics shows the whole map/)]);
    // One road, or another address, is no picture of the whole.
    await mileMarker(['verify', 'old', '--at', '127.0.0.1'], folder);
    service = await serve();
    expect((await run()).err).toMatch(/ {2}fixed +service-down/);
    expect(statSync(join(folder, '.mile-marker/verify.jsonl')).mode & 0o777).toBe(0o600);
  } finally {
    await front.stop();
    await dns.stop();
    service.close();
  }
  const scheduled = await mileMarker(['schedule', 'verify', '--then', '/usr/local/bin/tell'], folder);
  expect(scheduled.out).toMatch(/"verify" "--since" "--map" .* "--notify" "\/usr\/local\/bin\/tell"/);
});

test('what came and what went make the one run out of the other, and notes wake nobody', () => {
  const finding = fc.record({
    rule: fc.constantFrom('a-b', 'c-d'),
    severity: fc.constantFrom<'error' | 'note'>('error', 'note'),
    cause: fc.constantFrom('1', '2', '3'),
    roads: fc.constant<string[]>(['x']),
    message: fc.string(),
  });
  const key = ({ rule, cause }: { rule: string; cause: string }): string => `${rule} ${cause}`;
  const entry = fc
    .uniqueArray(finding, { selector: key })
    .map((findings): VerifyEntry => ({ at: '2026-11-23T00:00:00Z', roads: 1, findings }));
  fc.assert(
    fc.property(entry, entry, (before, now) => {
      const { come, gone } = changesSince(before, now);
      const had = new Set(before.findings.map(key));
      const has = new Set(now.findings.map(key));
      expect(come.map(key)).toEqual(
        now.findings.filter((one) => one.severity === 'error' && !had.has(key(one))).map(key),
      );
      expect(gone.map(key)).toEqual(
        before.findings.filter((one) => one.severity === 'error' && !has.has(key(one))).map(key),
      );
      expect(changesSince(now, now)).toEqual({ come: [], gone: [] });
    }),
  );
});
