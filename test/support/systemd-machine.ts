import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, dirname, join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { ended, program } from './program.ts';

const legacy = '/sys/fs/cgroup/systemd';

/** Where control groups lie: one tree for all, or one of systemd's own and, for what it cannot do there, a second (cgroups(7), version 1). */
const trees = existsSync(legacy) ? [legacy, '/sys/fs/cgroup/unified'].filter(existsSync) : ['/sys/fs/cgroup'];
const mountGroups = existsSync(legacy)
  ? { how: '-t cgroup -o none,name=systemd cgroup', at: 'sys/fs/cgroup/systemd' }
  : { how: '-t cgroup2 cgroup2', at: 'sys/fs/cgroup' };

/**
 * A machine whose first process is a real systemd: this machine's files with a layer of its own above, and every kind of namespace but that of users, so
 * that units are started, confined and ended as they are at home. It needs root.
 */
export class SystemdMachine {
  private constructor(
    private readonly shell: ChildProcess,
    private readonly layer: string,
    private readonly first: number,
  ) {}

  static async start(): Promise<SystemdMachine> {
    for (const program of ['/lib/systemd/systemd', '/usr/bin/dbus-daemon'])
      if (!existsSync(program)) throw new Error(`${program} is missing; install: apt-get install -y systemd dbus`);
    const layer = mkdtempSync(join(tmpdir(), 'mile-marker-systemd-'));
    for (const group of groupsOf(layer)) mkdirSync(group);
    // It ends with whoever started it.
    const argv = ['--pdeathsig', 'KILL', 'bash', '-c', outside(layer)];
    const shell = spawn('setpriv', argv, { stdio: ['ignore', 'pipe', 'pipe'] });
    let said = '';
    for (const stream of [shell.stdout, shell.stderr]) stream.on('data', (chunk: Buffer) => (said += chunk.toString()));
    for (let left = 200; left > 0; left -= 1) {
      const first = firstIn(layer);
      const machine = first === null ? null : new SystemdMachine(shell, layer, first);
      // `starting` until every unit of the boot stands, or one of this machine's own does not.
      const state = (await machine?.run('systemctl is-system-running'))?.out ?? '';
      if (machine !== null && /^(?:running|degraded)\n$/.test(state)) return machine;
      if (shell.exitCode !== null) break;
      await pause(100);
    }
    shell.kill('SIGKILL');
    clear(layer);
    throw new Error(`systemd did not come up: ${said}`);
  }

  /** Runs a shell's words there. @param user whose right it has */
  async run(words: string, user = 'root'): Promise<{ code: number | null; out: string }> {
    const argv = ['-t', String(this.first), '-a', 'runuser', '-u', user, '--', 'timeout', '60', 'sh'];
    const { code, out } = await ended(spawn('nsenter', [...argv, '-c', `exec 2>&1; ${words}`]), 90_000);
    return { code, out };
  }

  /** A file of the machine, as it is reached from here. */
  path(path: string): string {
    return `/proc/${String(this.first)}/root${path}`;
  }

  async stop(): Promise<void> {
    const ended = new Promise((resolve) => this.shell.once('exit', resolve));
    // With its first process all others of a machine end.
    process.kill(this.first, 'SIGKILL');
    await ended;
    clear(this.layer);
  }
}

const groupsOf = (layer: string): string[] => trees.map((tree) => join(tree, basename(layer)));

/** The first process of the machine, as it is known here. */
function firstIn(layer: string): number | null {
  const { stdout } = spawnSync('pgrep', ['-f', '^/lib/systemd/systemd --system --log-target=journal'], {
    encoding: 'utf8',
  });
  const marked = stdout.split('\n').find((pid) => {
    if (pid === '') return false;
    return readFileSync(`/proc/${pid}/environ`, 'utf8').includes(`MACHINE=${layer}\0`);
  });
  return marked === undefined ? null : Number(marked);
}

function clear(layer: string): void {
  spawnSync('umount', ['-l', layer]);
  rmdirSync(layer);
  // None of the groups of what ran there holds a process any more.
  for (const group of groupsOf(layer)) spawnSync('find', [group, '-depth', '-type', 'd', '-exec', 'rmdir', '{}', ';']);
}

/** What of this machine would start there and has no business there. */
const notStarted = ['nginx', 'apache2', 'haproxy', 'docker', 'containerd', 'ssh', 'knot', 'pebble', 'systemd-udevd'];

function outside(layer: string): string {
  const root = `${layer}/root`;
  const system = `${root}/etc/systemd/system`;
  return `
set -e
mount -t tmpfs tmpfs ${layer}
mkdir ${root} ${layer}/up ${layer}/work
for group in ${groupsOf(layer).join(' ')}; do echo $$ > $group/cgroup.procs; done
exec unshare --pid --mount --net --uts --ipc --cgroup --fork --kill-child bash -c '
set -e
mount --make-rprivate /
mount -t overlay overlay -o lowerdir=/,upperdir=${layer}/up,workdir=${layer}/work ${root}
rm -rf ${system}
mkdir -p ${system}
for unit in ${notStarted.join(' ')}; do ln -s /dev/null ${system}/$unit.service; done
ln -s /dev/null ${system}/docker.socket
ln -s /lib/systemd/system/multi-user.target ${system}/default.target
: > ${root}/etc/fstab
: > ${root}/etc/machine-id
echo marsh > ${root}/etc/hostname
mount -t proc proc ${root}/proc
mount -t sysfs sysfs ${root}/sys
mount -t tmpfs tmpfs ${root}/sys/fs/cgroup
mkdir -p ${root}/${mountGroups.at}
mount ${mountGroups.how} ${root}/${mountGroups.at}
mount -t tmpfs -o mode=755 tmpfs ${root}/run
mount -t tmpfs -o mode=1777 tmpfs ${root}/tmp
mount --rbind /dev ${root}/dev
hostname marsh
mkdir -p ${root}/usr/local/bin
cp ${process.execPath} ${root}/usr/local/bin/node
cp -r ${dirname(program)} ${root}/usr/local/lib/mile-marker
ln -sf ../lib/mile-marker/mile-marker.js ${root}/usr/local/bin/mile-marker
chroot ${root} useradd --create-home keeper
ip link set lo up
cd ${root}
mkdir -p mnt/before
pivot_root . mnt/before
umount -l /mnt/before
exec env -i container=machine MACHINE=${layer} PATH=/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin /lib/systemd/systemd --system --log-target=journal
'`;
}
