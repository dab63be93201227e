import { execFile } from 'node:child_process';
import { chmodSync, cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { promisify } from 'node:util';
import bcrypt from 'bcryptjs';
import type { Answer } from '../src/core/legs/answer.ts';
import { answerFiles } from '../src/core/proxies/httpd/answers.ts';
import type { Plan } from '../src/core/plan/plan.ts';
import { isFrontsOwnError } from '../src/core/proxies/known-answers.ts';
import { httpdProgram } from './support/fronts.ts';
import { freePorts, listening, portOf } from './support/ports.ts';
import { folderWith, mileMarker, program } from './support/program.ts';

/** In a mount namespace of its own (mount_namespaces(7)), where /run, the logs and the settings of the package are the test's. */
async function inside(folder: string, script: string): Promise<string> {
  const mounts = [
    'mount -t tmpfs none /run',
    'mount -t tmpfs none /var/log/apache2',
    `mount --bind ${folder}/etc /etc/apache2`,
  ];
  const argv = ['-m', 'sh', '-c', `${mounts.join(' && ')} && { ${script}; } 2>&1`];
  return (await promisify(execFile)('unshare', argv, { cwd: folder, timeout: 150_000 })).stdout;
}

test('install says which modules and ports are missing; then it brings editions live beside what is there, and takes them back', async () => {
  httpdProgram();
  const service = await listening(
    http.createServer((_, response) => response.end('gull')),
    0,
  );
  const [http_ = 0, https = 0, mark = 0] = await freePorts(3);
  const map = (road: string): string => `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: httpd, ports: {http: ${String(http_)}, https: ${String(https)}}, mark: "127.0.0.1:${String(mark)}"}
engine: none
gates: {wardens: {people: w}}
roads:
  ${road}: {to: ":${String(portOf(service))}", gate: everyone}
  roster: {to: ":${String(portOf(service))}", gate: wardens}
`;
  const folder = folderWith({
    'mile-marker.yaml': map('log'),
    'later.yaml': map('tides'),
    w: `edda:${bcrypt.hashSync('tern', 4)}\n`,
  });
  chmodSync(folder, 0o755);
  // As the package leaves it, on ports of the test.
  cpSync('/etc/apache2', join(folder, 'etc'), { recursive: true, verbatimSymlinks: true });
  writeFileSync(join(folder, 'etc/ports.conf'), `Listen ${String(http_)}\n`);
  rmSync(join(folder, 'etc/sites-enabled'), { recursive: true });
  mkdirSync(join(folder, 'etc/sites-enabled'));
  writeFileSync(
    join(folder, 'etc/sites-enabled/own.conf'),
    `<VirtualHost *:${String(http_)}>\nServerName own.saltmarsh.example\nServerAlias log.reedbed.example\n</VirtualHost>\n`,
  );
  const old = `<VirtualHost *:${String(http_)}>\nServerName tides.saltmarsh.example\n</VirtualHost>\n`;
  writeFileSync(join(folder, 'etc/sites-enabled/old.conf'), old);
  expect((await mileMarker(['certs', 'make'], folder)).code).toBe(0);
  const tool = `node ${program}`;
  const said = (
    await inside(
      folder,
      [
        `${tool} install --yes --no-rehearsal > first 2>&1; cat first`,
        // As it says, word for word.
        "$(tr '\\n' ' ' < first | sed -n 's/.*As root: \\(a2enmod [a-z_0-9 ]*\\)\\..*/\\1/p')",
        `${tool} install --yes --no-rehearsal`,
        `echo 'Listen ${String(https)}' >> etc/ports.conf`,
        `${tool} install --yes --no-rehearsal`,
        'cp later.yaml mile-marker.yaml',
        `${tool} certs make`,
        `${tool} check; ${tool} survey`,
        `${tool} install --yes --no-rehearsal --replace /etc/apache2/sites-enabled/old.conf`,
        'cp etc/sites-enabled/old.conf replaced',
        `${tool} undo front --yes`,
        `${tool} editions`,
        'kill "$(cat /run/apache2/apache2.pid)" || true',
      ].join('; '),
    )
  ).replace(/\s+/g, ' ');
  service.close();
  expect(said).toMatch(/httpd cannot serve this yet: its modules [a-z_0-9, ]+ are off/);
  expect(said).toContain(`it does not listen on port ${String(https)}`);
  for (const words of ['Edition 0001 is live', 'Edition 0002 is live', 'tides.saltmarsh.example'])
    expect(said).toContain(words);
  expect(said).toMatch(/Live now: edition 0001/);
  expect(said).toContain('mile-marker install --replace /etc/apache2/sites-enabled/old.conf');
  expect(readFileSync(join(folder, 'replaced'), 'utf8')).toContain('# ServerName tides.saltmarsh.example');
  expect(readFileSync(join(folder, 'etc/sites-enabled/old.conf'), 'utf8')).toBe(old);
  expect(readFileSync(join(folder, 'etc/conf-enabled/mile-marker.conf'), 'utf8')).toContain('front/current/front.conf');
  expect(said).toMatch(/0002 .* undone/);
});

test('answers that it makes from files are known for its own, whatever they are about', () => {
  const made = answerFiles({ pages: {} } as unknown as Plan);
  expect(made).toHaveLength(2);
  for (const { content } of made) {
    const body = content.slice(content.indexOf('\n\n') + 2);
    const status = Number(/^Status: (\d+)/.exec(content)?.[1]);
    expect(isFrontsOwnError({ status, headers: [['server', 'Apache']], body } as unknown as Answer)).toBe(true);
  }
});
