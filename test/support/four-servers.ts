import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, cpSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { usedModules } from '../../src/core/proxies/httpd/renderer.ts';
import { haproxyProgram, httpdProgram, nginxProgram, type ProxyName } from './fronts.ts';
import { ended, folderWith, program, type Ran } from './program.ts';

/**
 * A machine on which all four proxies are installed as their packages leave them, each with a site of somebody else, and none runs: real servers on the real
 * ports, in namespaces of their own (unshare(1)), which end with whoever started them. It needs root.
 */
export class FourServers {
  private constructor(
    readonly folder: string,
    private readonly shell: ChildProcess,
    private readonly first: number,
  ) {}

  /** The map's own folder. */
  get site(): string {
    return join(this.folder, 'srv');
  }

  get map(): string {
    return join(this.site, 'mile-marker.yaml');
  }

  static async start(): Promise<FourServers> {
    for (const found of [nginxProgram, haproxyProgram, httpdProgram]) found();
    const folder = folderWith();
    chmodSync(folder, 0o755);
    layOut(folder);
    const argv = ['--mount', '--net', '--pid', '--fork', '--kill-child', '--mount-proc', 'sh', '-c', inside(folder)];
    // It ends with whoever started it.
    const shell = spawn('setpriv', ['--pdeathsig', 'KILL', 'unshare', ...argv], {
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    await new Promise<void>((resolve, reject) => {
      shell.stdout?.once('data', () => resolve());
      shell.once('exit', () => reject(new Error('the namespaces were not made; as root?')));
    });
    const pid = await ended(spawn('pgrep', ['-P', String(shell.pid)]));
    const machine = new FourServers(folder, shell, Number(pid.out.trim().split('\n')[0]));
    await machine.sh(`${process.execPath} ${join(folder, 'service.js')} > /dev/null 2>&1 & sleep 0.3`);
    return machine;
  }

  /** Runs a shell's words there. @param env of the program, beside a clean one */
  async sh(words: string, { cwd = this.site, env = {}, uid = 0 } = {}): Promise<Ran> {
    const clean = { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', HOME: this.folder, DOCKER_HOST: 'none', ...env };
    const as = uid === 0 ? [] : ['setpriv', `--reuid=${String(uid)}`, `--regid=${String(uid)}`, '--clear-groups', '--'];
    const argv = ['-t', String(this.first), '-m', '-n', '-p', ...as, 'sh', '-c', `cd ${cwd} && { ${words}\n}`];
    return ended(spawn('nsenter', argv, { env: clean }), 120_000);
  }

  /** Runs the built program there. */
  async run(
    argv: readonly string[],
    more: { cwd?: string; env?: Record<string, string>; uid?: number } = {},
  ): Promise<Ran> {
    const words = [process.execPath, program, ...argv].map((word) => `'${word}'`).join(' ');
    return this.sh(words, more);
  }

  /** What a road answers over HTTPS: its status and the value of `x-state`, or that nobody does. */
  async ask(road: string): Promise<string> {
    const name = `${road}.saltmarsh.example`;
    const { out } = await this.sh(
      `curl -sk -m 5 -o /dev/null -w '%{http_code} %header{x-state}' --resolve ${name}:443:127.0.0.1 https://${name}/; true`,
    );
    return out.trim().replace(/^000$/, 'nobody');
  }

  async stop(): Promise<void> {
    const gone = new Promise((resolve) => this.shell.once('exit', resolve));
    this.shell.kill('SIGKILL');
    await gone;
  }
}

/** Who keeps the map where it is not root. */
export const keeper = 65_534;

/** Words by which each is started by its own means, as after a reboot. @param map its path */
export const startWords: Record<ProxyName, (map: string) => string> = {
  builtin: (map) =>
    `${process.execPath} ${program} serve --written --map ${map} > /dev/null 2>&1 & for i in $(seq 100); do curl -s 127.0.0.1:29180/mark > /dev/null && break; sleep 0.05; done`,
  nginx: () => 'nginx',
  httpd: () => '. /etc/apache2/envvars; mkdir -p $APACHE_RUN_DIR; apache2 -k start',
  haproxy: () => '. /etc/default/haproxy; haproxy -W -D -p /run/haproxy.pid -f /etc/haproxy/haproxy.cfg $EXTRAOPTS',
};

/** Files of others, each of which goes on being served whatever becomes of the map. @property port on which each answers */
export const others = {
  nginx: { file: 'etc-nginx/conf.d/own.conf', port: 8081 },
  httpd: { file: 'etc-apache2/sites-enabled/own.conf', port: 8082 },
  haproxy: { file: 'etc-haproxy/haproxy.cfg', port: 8083 },
} as const;

function layOut(folder: string): void {
  for (const [from, to] of [
    ['/etc/nginx', 'etc-nginx'],
    ['/etc/apache2', 'etc-apache2'],
    ['/etc/haproxy', 'etc-haproxy'],
    ['/etc/default', 'etc-default'],
  ] as const)
    cpSync(from, join(folder, to), { recursive: true, verbatimSymlinks: true });
  for (const path of ['etc-nginx/sites-enabled', 'etc-apache2/sites-enabled'])
    rmSync(join(folder, path), { recursive: true });
  for (const path of ['etc-nginx/sites-enabled', 'etc-apache2/sites-enabled', 'srv']) mkdirSync(join(folder, path));
  const put = (path: string, text: string): void => writeFileSync(join(folder, path), text);
  // Bytes that are no text in any one encoding stay as they are, too.
  const odd = '# h\u00f8stmark';
  put(others.nginx.file, `${odd}\nserver { listen 8081; server_name own.saltmarsh.example; return 200 own; }\n`);
  put('etc-apache2/ports.conf', 'Listen 80\nListen 443\nListen 8082\n');
  put(
    others.httpd.file,
    `${odd}\n<VirtualHost *:8082>\nServerName own.saltmarsh.example\nRedirect 204 /\n</VirtualHost>\n`,
  );
  put(
    others.haproxy.file,
    `global\n  log /dev/log local0\ndefaults\n  mode http\n  timeout connect 5s\n  timeout client 50s\n  timeout server 50s\nfrontend own\n  bind :8083\n  http-request return status 204\n`,
  );
  put('etc-default/haproxy', `EXTRAOPTS="-f ${folder}/srv/.mile-marker/front/current"\n`);
  // Answers on three ports, by the name that was asked for.
  put(
    'service.js',
    `for (const port of [9001, 9002]) require('http').createServer((q, s) => s.end('<title>' + q.headers.host + '</title>')).listen(port, '127.0.0.1');`,
  );
}

function inside(folder: string): string {
  const bind = (from: string, to: string): string => `mount --bind ${folder}/${from} ${to}`;
  return [
    'set -e',
    'mount --make-rprivate /',
    'ip link set lo up',
    'echo 0 > /proc/sys/net/ipv4/ip_unprivileged_port_start',
    ...['run', 'var/log/nginx', 'var/log/apache2'].map((path) => `mount -t tmpfs tmpfs /${path}`),
    'mkdir -p /run/haproxy',
    bind('etc-nginx', '/etc/nginx'),
    bind('etc-apache2', '/etc/apache2'),
    bind('etc-haproxy', '/etc/haproxy'),
    bind('etc-default', '/etc/default'),
    `a2enmod -q ${usedModules.filter((name) => name !== 'mpm_event').join(' ')} > /dev/null`,
    'echo ready',
    // The first process takes in what others leave behind, as init does: a server takes what is left of a killed one for one that runs.
    `exec perl -e 'while (1) { select(undef, undef, undef, 0.02) if wait() < 0 }'`,
  ].join('\n');
}
