import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { mkdtempSync } from 'node:fs';
import { usedModules } from '../../src/core/proxies/httpd/renderer.ts';
import { haproxyProgram, httpdProgram, nginxProgram } from './fronts.ts';

/** A container engine of our own, with its own data, stopped and removed at the end. */
export interface RunningEngine {
  socket: string;
  /** TCP port with TLS, and the folder with ca.pem, cert.pem and key.pem for its clients. */
  tls: { port: number; certificates: string };
  docker: (...argv: string[]) => string;
  /** docker-compose in a folder with Compose files. */
  compose: (folder: string, ...argv: string[]) => string;
  /** As after an update of it: it ends with all containers, and those that restart come up again. */
  restart: () => Promise<void>;
  stop: () => Promise<void>;
}

const install = 'apt-get install -y --no-install-recommends docker.io docker-compose busybox-static iptables openssl';

/**
 * Starts dockerd, in a network namespace of its own when one is named. It needs root: it makes networks and mounts.
 *
 * @param address where it answers over TCP with TLS, too
 * @param node as which it is in a cluster, with the image that answers with its name, and nginx's
 */
export async function startEngine(
  tlsPort: number,
  namespace: string | null = null,
  address = '127.0.0.1',
  node: ClusterNode | null = null,
): Promise<RunningEngine> {
  for (const program of ['/usr/sbin/dockerd', '/usr/bin/docker-compose', '/bin/busybox', '/usr/bin/openssl']) {
    if (!existsSync(program)) throw new Error(`${program} is missing; install it with: ${install}`);
  }
  if (process.getuid?.() !== 0) throw new Error('a container engine of our own needs root; run: sudo npm test');
  const folder = mkdtempSync('/tmp/mile-marker-engine-');
  const socket = join(folder, 'engine.sock');
  const certificates = join(folder, 'tls');
  // In memory: there its layers can lie over each other, also where those of this machine's own disk cannot, and none is copied for each container.
  mkdirSync(join(folder, 'data'));
  const mounted = spawnSync('mount', ['-t', 'tmpfs', 'mile-marker-engine', join(folder, 'data')], { encoding: 'utf8' });
  if (mounted.status !== 0) throw new Error(mounted.stderr);
  makeCertificates(certificates, address);
  // Not `ip netns exec`: that hides the control groups.
  const space = namespace === null ? [] : ['/usr/bin/nsenter', `--net=/run/netns/${namespace}`];
  const named =
    node === null ? [] : ['/usr/bin/unshare', '--uts', 'sh', '-c', `hostname ${node.name}; exec "$@"`, 'sh'];
  const inside = [...space, ...named];
  const [program = '', ...before] = [...inside, '/usr/sbin/dockerd'];
  const argv = [
    ...before,
    ...[
      '--log-level=error',
      '--shutdown-timeout=2',
      '-H',
      `unix://${socket}`,
      '-H',
      `tcp://${address}:${String(tlsPort)}`,
    ],
    ...['--data-root', join(folder, 'data'), '--exec-root', join(folder, 'exec'), '--pidfile', join(folder, 'pid')],
    ...(node === null ? [] : ['--bip', node.bridge, '--default-address-pool', `base=${node.pool},size=26`]),
    ...['--tlsverify', '--tlscacert', join(certificates, 'ca.pem')],
    ...['--tlscert', join(certificates, 'server.pem'), '--tlskey', join(certificates, 'server-key.pem')],
  ];
  const daemon = (): { child: ChildProcess; closed: Promise<void>; words: () => string } => {
    const child = spawn(program, argv, { stdio: ['ignore', 'ignore', 'pipe'] });
    let words = '';
    child.stderr.setEncoding('utf8').on('data', (text: string) => (words += text));
    return { child, closed: new Promise((resolve) => child.once('close', () => resolve())), words: () => words };
  };
  let running = daemon();
  const run = (program: string, argv: string[], cwd: string): string => {
    const env = { PATH: process.env['PATH'], HOME: folder, DOCKER_HOST: `unix://${socket}` };
    const { status, stdout, stderr } = spawnSync(program, argv, { cwd, env, encoding: 'utf8', timeout: 120_000 });
    if (status !== 0) throw new Error(`${program} ${argv.join(' ')}: ${stdout}${stderr}`);
    return stdout;
  };
  const docker = (...argv: string[]): string => run('/usr/bin/docker', argv, folder);
  const stop = async (): Promise<void> => {
    running.child.kill('SIGTERM');
    await running.closed;
    const mounts = readFileSync('/proc/self/mounts', 'utf8')
      .split('\n')
      .flatMap((line) => line.split(' ')[1] ?? []);
    for (const path of mounts.filter((one) => one.startsWith(`${folder}/`)).reverse())
      spawnSync('umount', ['-l', path]);
    rmSync(folder, { recursive: true, force: true });
  };
  const untilUp = async (): Promise<void> => {
    for (let tries = 0; ; tries += 1) {
      try {
        docker('version');
        return;
      } catch (error) {
        if (tries >= 600 || running.child.exitCode !== null)
          throw new Error(`dockerd did not start: ${running.words()} ${String(error)}`, { cause: error });
        await new Promise((resolve) => setTimeout(resolve, 100));
      }
    }
  };
  await untilUp();
  if (node === null) importImages(folder, docker);
  else {
    importPages(folder, docker);
    importNginx(folder, docker);
  }
  return {
    socket,
    tls: { port: tlsPort, certificates },
    docker,
    restart: async () => {
      running.child.kill('SIGTERM');
      await running.closed;
      running = daemon();
      await untilUp();
    },
    compose: (cwd, ...argv) => run('/usr/bin/docker-compose', argv, cwd),
    stop: async () => {
      const ids = docker('ps', '-aq')
        .split('\n')
        .filter((id) => id !== '');
      if (ids.length > 0) docker('rm', '-f', ...ids);
      docker('network', 'prune', '-f');
      await stop();
    },
  };
}

/** @property bridge address of its own bridge, with its prefix @property pool of addresses for its networks */
interface ClusterNode {
  name: string;
  bridge: string;
  pool: string;
}

/** There is no registry here: images are made from this machine's own programs. */
function importImages(folder: string, docker: RunningEngine['docker']): void {
  importPages(folder, docker);
  importNginx(folder, docker);
  importServers(folder, docker);
}

function importPages(folder: string, docker: RunningEngine['docker']): void {
  const pages = join(folder, 'pages');
  mkdirSync(join(pages, 'bin'), { recursive: true });
  copyFileSync('/bin/busybox', join(pages, 'bin/busybox'));
  for (const name of ['sh', 'httpd', 'sleep', 'mkdir', 'wget', 'cat', 'true'])
    symlinkSync('busybox', join(pages, 'bin', name));
  // Every container answers with its own name, so that it can be told which one was reached.
  writeFileSync(
    join(pages, 'start'),
    '#!/bin/sh\nmkdir -p /tmp/www\ncat /etc/hostname > /tmp/www/index.html\nexec httpd -f -p 8080 -h /tmp/www\n',
    { mode: 0o755 },
  );
  mkdirSync(join(pages, 'tmp'));
  importFolder(
    folder,
    pages,
    docker,
    ['-c', 'EXPOSE 8080', '-c', 'CMD ["/start"]', '-c', 'ENV PATH=/bin'],
    'observatory/pages',
  );
}

/** With a shell and wget, as its images have them. */
function importNginx(folder: string, docker: RunningEngine['docker']): void {
  const nginx = join(folder, 'nginx');
  for (const path of ['bin', 'etc', 'tmp', 'usr/sbin', 'var/log/nginx', 'var/lib/nginx', 'usr/share/nginx'])
    mkdirSync(join(nginx, path), { recursive: true });
  // As it is in every image; a file system in memory takes its rights from there.
  chmodSync(join(nginx, 'tmp'), 0o1777);
  for (const name of ['busybox', 'sh', 'wget', 'cat']) copyFileSync('/bin/busybox', join(nginx, 'bin', name));
  putProgram(nginxProgram(), nginx, 'usr/sbin/nginx');
  writeFileSync(join(nginx, 'etc/passwd'), 'root:x:0:0::/:/bin/sh\nnobody:x:65534:65534::/:/bin/sh\n');
  writeFileSync(join(nginx, 'etc/group'), 'root:x:0:\nnogroup:x:65534:\n');
  importFolder(folder, nginx, docker, ['-c', 'ENV PATH=/bin:/usr/sbin'], 'nginx:stable');
}

function importServers(folder: string, docker: RunningEngine['docker']): void {
  const haproxy = join(folder, 'haproxy');
  for (const path of ['bin', 'etc', 'tmp', 'usr/sbin', 'dev']) mkdirSync(join(haproxy, path), { recursive: true });
  // As images of Debian are: neither curl nor wget, but a shell that opens connections by itself.
  for (const name of ['busybox', 'sh', 'sed', 'grep', 'cat']) copyFileSync('/bin/busybox', join(haproxy, 'bin', name));
  putProgram('/bin/bash', haproxy, 'bin/bash');
  putProgram(haproxyProgram(), haproxy, 'usr/sbin/haproxy');
  importFolder(folder, haproxy, docker, ['-c', 'ENV PATH=/bin:/usr/sbin'], 'haproxy:lts');
  const httpd = join(folder, 'httpd');
  const modules = 'usr/local/apache2/modules';
  for (const path of ['bin', 'etc', 'tmp', 'usr/sbin', modules]) mkdirSync(join(httpd, path), { recursive: true });
  for (const name of ['busybox', 'sh', 'wget', 'cat']) copyFileSync('/bin/busybox', join(httpd, 'bin', name));
  putProgram(httpdProgram(), httpd, 'usr/sbin/httpd');
  for (const name of usedModules) {
    const file = `/usr/lib/apache2/modules/mod_${name}.so`;
    if (existsSync(file)) putProgram(file, httpd, `${modules}/mod_${name}.so`);
  }
  // Loaded when the first thread ends, so that no program names it.
  const [, threads = ''] =
    /libgcc_s\.so\.1 .*=> (\S+)/.exec(spawnSync('/sbin/ldconfig', ['-p'], { encoding: 'utf8' }).stdout) ?? [];
  putProgram(threads, httpd, threads.slice(1));
  writeFileSync(join(httpd, 'etc/passwd'), 'root:x:0:0::/:/bin/sh\nwww-data:x:33:33::/:/bin/sh\n');
  writeFileSync(join(httpd, 'etc/group'), 'root:x:0:\nwww-data:x:33:\n');
  importFolder(folder, httpd, docker, ['-c', 'ENV PATH=/bin:/usr/sbin'], 'httpd:2.4');
  const node = join(folder, 'node');
  for (const path of ['bin', 'etc', 'tmp']) mkdirSync(join(node, path), { recursive: true });
  putProgram(process.execPath, node, 'bin/node');
  importFolder(folder, node, docker, ['-c', 'ENV PATH=/bin'], 'node:20-slim');
}

/** A program of this machine, with the libraries that it loads. */
function putProgram(program: string, root: string, as: string): void {
  mkdirSync(join(root, dirname(as)), { recursive: true });
  copyFileSync(program, join(root, as));
  const libraries = spawnSync('ldd', [program], { encoding: 'utf8' }).stdout.match(/\/\S+/g) ?? [];
  for (const path of libraries) {
    mkdirSync(join(root, dirname(path)), { recursive: true });
    copyFileSync(path, join(root, path));
  }
}

function importFolder(
  work: string,
  from: string,
  docker: RunningEngine['docker'],
  changes: string[],
  name: string,
): void {
  const tar = join(work, 'image.tar');
  const { status } = spawnSync('tar', ['-C', from, '-cf', tar, '.']);
  if (status !== 0) throw new Error('tar failed');
  docker('import', ...changes, tar, name);
  rmSync(tar);
}

/** An authority, a certificate for an address and one for a client. */
export function makeCertificates(folder: string, address = '127.0.0.1'): void {
  mkdirSync(folder);
  const openssl = (...argv: string[]): void => {
    const { status, stderr } = spawnSync('openssl', argv, { cwd: folder, encoding: 'utf8' });
    if (status !== 0) throw new Error(stderr);
  };
  const key = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256', '-nodes'];
  openssl('req', '-x509', ...key, '-keyout', 'ca-key.pem', '-out', 'ca.pem', '-subj', '/CN=engine', '-days', '2');
  for (const [name, use] of [
    ['server', 'serverAuth'],
    ['cert', 'clientAuth'],
  ] as const) {
    const keyFile = name === 'cert' ? 'key.pem' : 'server-key.pem';
    writeFileSync(join(folder, 'extensions'), `subjectAltName=IP:${address}\nextendedKeyUsage=${use}\n`);
    openssl('req', ...key, '-keyout', keyFile, '-out', 'request.pem', '-subj', `/CN=${name}`);
    openssl(
      ...['x509', '-req', '-in', 'request.pem', '-CA', 'ca.pem', '-CAkey', 'ca-key.pem', '-CAcreateserial'],
      ...['-days', '2', '-extfile', 'extensions', '-out', `${name}.pem`],
    );
  }
  if (!readFileSync(join(folder, 'cert.pem'), 'utf8').includes('BEGIN')) throw new Error('no certificate was made');
}
