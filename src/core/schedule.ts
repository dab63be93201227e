import { cronWord, unitPath, unitWord } from './unit-words.ts';

/**
 * Lines that leave a service no more than it needs (systemd.exec(5), "Sandboxing"). No `MemoryDenyWriteExecute`: Node compiles while it runs.
 *
 * @param write folders that it writes to; all else is read-only. One that need not exist begins with a minus
 */
export function sandboxLines(write: readonly string[]): string[] {
  return [
    'NoNewPrivileges=yes',
    'ProtectSystem=strict',
    'ProtectHome=read-only',
    `ReadWritePaths=${write.map(unitPath).join(' ')}`,
    'PrivateTmp=yes',
    'PrivateDevices=yes',
    'ProtectClock=yes',
    'ProtectHostname=yes',
    'ProtectControlGroups=yes',
    'ProtectKernelLogs=yes',
    'ProtectKernelModules=yes',
    'ProtectKernelTunables=yes',
    'RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6 AF_NETLINK',
    'RestrictNamespaces=yes',
    'RestrictRealtime=yes',
    'RestrictSUIDSGID=yes',
    'LockPersonality=yes',
    'SystemCallArchitectures=native',
    // Node asks for memory keys as soon as it starts, where the processor has them. What is not on the list gets an error; it does not end the front.
    'SystemCallFilter=@system-service @pkey',
    'SystemCallErrorNumber=EPERM',
    'UMask=0027',
    // Else the journal has them all from `node`.
    'SyslogIdentifier=mile-marker',
  ];
}

interface ScheduleInput {
  /** Words of the command that runs this program, each an absolute path or a plain word. */
  program: readonly string[];
  mapFile: string;
  /** More words of the command: what is run afterwards, whom it tells, with which login it tests. */
  more: readonly string[];
  /** As whom it runs; root when null. */
  owner: { uid: number; gid: number } | null;
  /** What it may write to; null where it runs programs of others, whose needs nobody knows. */
  write: readonly string[] | null;
}

export interface ScheduledFile {
  path: string;
  content: string;
}

/** What a timer can do. */
export const jobNames = ['renew', 'address', 'verify'] as const;
export type JobName = (typeof jobNames)[number];

/** @property calendar as systemd.time(7) has it @property delay longest time to wait beyond that @property cron minute and hour fields */
interface Job {
  description: string;
  argv: readonly string[];
  calendar: string;
  delay: string;
  cron: (minute: number) => string;
}

const jobs: Record<JobName, Job> = {
  renew: {
    description: 'Renew the certificates of the map',
    // Until it is reloaded a front may show the old certificate.
    argv: ['certs', 'renew', '--reload'],
    calendar: '*-*-* 03,15:00:00',
    delay: '3h',
    cron: (minute) => `${String(minute)} 3,15`,
  },
  address: {
    description: 'Keep the public address in DNS up to date',
    argv: ['dns', 'update-address'],
    calendar: '*:0/5',
    delay: '1min',
    cron: (minute) => `${String(minute % 5)}-59/5 *`,
  },
  verify: {
    description: 'Test every road of the map to its end',
    argv: ['verify', '--since'],
    calendar: '*-*-* 04:30:00',
    delay: '1h',
    cron: (minute) => `${String(minute)} 4`,
  },
};

/**
 * A systemd service and its timer, at a moment that differs from machine to machine (systemd.service(5), systemd.timer(5)).
 */
export function jobUnits(name: JobName, input: ScheduleInput): ScheduledFile[] {
  const { description, calendar, delay } = jobs[name];
  return [
    {
      path: `mile-marker-${name}.service`,
      content: `[Unit]
Description=${description}
Wants=network-online.target
After=network-online.target

[Service]
Type=oneshot
ExecStart=${wordsOf(name, input).map(unitWord).join(' ')}
${limitLines(input)}`,
    },
    {
      path: `mile-marker-${name}.timer`,
      content: `[Unit]
Description=${description}

[Timer]
OnCalendar=${calendar}
RandomizedDelaySec=${delay}
Persistent=true

[Install]
WantedBy=timers.target
`,
    },
  ];
}

function limitLines({ owner, write }: ScheduleInput): string {
  const user = owner === null ? [] : [`User=${String(owner.uid)}`, `Group=${String(owner.gid)}`];
  const lines = [...user, ...(write === null ? [] : sandboxLines(write))];
  return lines.map((line) => `${line}\n`).join('');
}

/** The same for crontab(5), at a minute that is made from the map's path. */
export function jobCronLine(name: JobName, input: ScheduleInput): string {
  const minute = [...input.mapFile].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 60, 7);
  return `${jobs[name].cron(minute)} * * * ${wordsOf(name, input).map(cronWord).join(' ')}`;
}

function wordsOf(name: JobName, { program, mapFile, more }: ScheduleInput): string[] {
  return [...program, ...jobs[name].argv, '--map', mapFile, ...more];
}
