// Runs everything that must hold: format, lint, types, docs, then all tests. When root it installs the Debian packages that
// the tests need; otherwise it prints the line that does.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const needed = [
  { package: 'nginx-light', programs: ['/usr/sbin/nginx'] },
  { package: 'libnginx-mod-stream', programs: ['/usr/lib/nginx/modules/ngx_stream_module.so'] },
  { package: 'haproxy', programs: ['/usr/sbin/haproxy'] },
  { package: 'apache2', programs: ['/usr/sbin/apache2'] },
  { package: 'docker.io', programs: ['/usr/sbin/dockerd'] },
  { package: 'docker-compose', programs: ['/usr/bin/docker-compose'] },
  { package: 'busybox-static', programs: ['/bin/busybox'] },
  { package: 'iptables', programs: ['/usr/sbin/iptables'] },
  { package: 'iproute2', programs: ['/usr/sbin/ip', '/sbin/ip'] },
  { package: 'nftables', programs: ['/usr/sbin/nft'] },
  { package: 'pebble', programs: ['/usr/bin/pebble'] },
  { package: 'knot', programs: ['/usr/sbin/knotd'] },
  { package: 'knot-dnsutils', programs: ['/usr/bin/kdig', '/usr/bin/knsupdate'] },
  { package: 'openssh-client', programs: ['/usr/bin/ssh'] },
  { package: 'openssh-server', programs: ['/usr/sbin/sshd'] },
  { package: 'procps', programs: ['/usr/bin/pgrep', '/usr/bin/pkill'] },
  { package: 'systemd', programs: ['/lib/systemd/systemd', '/usr/bin/systemd-run'] },
  { package: 'dbus', programs: ['/usr/bin/dbus-daemon'] },
  { package: 'openssl', programs: ['/usr/bin/openssl'] },
  { package: 'curl', programs: ['/usr/bin/curl'] },
  { package: 'chromium', programs: ['/usr/bin/chromium'] },
  { package: 'libnss3-tools', programs: ['/usr/bin/pk12util'] },
  // The reader of OpenMetrics that the format's own authors keep.
  {
    package: 'python3-prometheus-client',
    programs: ['/usr/lib/python3/dist-packages/prometheus_client/openmetrics/parser.py'],
  },
];

const missing = needed
  .filter(({ programs }) => !programs.some((program) => existsSync(program)))
  .map((one) => one.package);
if (missing.length > 0) install(missing);

run('npm', ['run', '--silent', 'check']);
const folder = mkdtempSync(join(tmpdir(), 'mile-marker-results-'));
const results = join(folder, 'jest.json');
const only = process.argv.slice(2);
const jest = spawnSync(
  process.execPath,
  ['node_modules/jest/bin/jest.js', '--json', `--outputFile=${results}`, ...only],
  {
    stdio: ['ignore', 'ignore', 'inherit'],
  },
);
const { numPassedTests, numFailedTests, testResults } = existsSync(results)
  ? JSON.parse(readFileSync(results, 'utf8'))
  : { numPassedTests: 0, numFailedTests: 0, testResults: [] };
rmSync(folder, { recursive: true, force: true });
const slow = testResults
  .flatMap(({ assertionResults }) => assertionResults)
  .filter(({ duration }) => duration > 20_000)
  .sort((a, b) => b.duration - a.duration);
for (const { duration, title } of slow) console.log(`slow: ${Math.round(duration / 1000)} s  ${title}`);
console.log(`Tests: ${numPassedTests} passed, ${numFailedTests} failed`);
process.exitCode = jest.status ?? 1;

function install(packages) {
  const line = `apt-get update && apt-get install -y --no-install-recommends ${packages.join(' ')}`;
  if (process.getuid?.() !== 0) {
    console.error(`The tests need real servers that are not installed. As root, run:\n  ${line}`);
    process.exit(1);
  }
  console.log(`Installing what the tests need: ${packages.join(' ')}`);
  // Debian starts a freshly installed server; the tests start their own, on ports of their own.
  const policy = { ...process.env, DEBIAN_FRONTEND: 'noninteractive', RUNLEVEL: '1' };
  const { status } = spawnSync('sh', ['-c', line], { stdio: ['ignore', 'ignore', 'inherit'], env: policy });
  if (status !== 0) process.exit(status ?? 1);
}

function run(program, args) {
  const { status } = spawnSync(program, args, { stdio: 'inherit' });
  if (status !== 0) process.exit(status ?? 1);
}
