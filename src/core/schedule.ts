export interface ScheduleInput {
  /** Words of the command that runs this program, each an absolute path or a plain word. */
  program: readonly string[];
  mapFile: string;
  /** Run after a renewal, without a shell. */
  then: readonly string[];
}

export interface ScheduledFile {
  path: string;
  content: string;
}

/**
 * A systemd service and its timer, which renew what is due twice a day at a minute that differs from machine to machine
 * (systemd.service(5), systemd.timer(5)).
 */
export function renewUnits(input: ScheduleInput): ScheduledFile[] {
  return [
    {
      path: 'mile-marker-renew.service',
      content: `[Unit]
Description=Renew the certificates of the map
Wants=network-online.target
After=network-online.target

[Service]
Type=oneshot
ExecStart=${wordsOf(input).map(unitWord).join(' ')}
`,
    },
    {
      path: 'mile-marker-renew.timer',
      content: `[Unit]
Description=Renew the certificates of the map

[Timer]
OnCalendar=*-*-* 03,15:00:00
RandomizedDelaySec=3h
Persistent=true

[Install]
WantedBy=timers.target
`,
    },
  ];
}

/** The same for crontab(5), at a minute that is made from the map's path. */
export function renewCronLine(input: ScheduleInput): string {
  const minute = [...input.mapFile].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 60, 7);
  // A bare percent sign ends the command there.
  const words = wordsOf(input).map((word) => `'${word.replace(/'/g, `'\\''`).replace(/%/g, '\\%')}'`);
  return `${String(minute)} 3,15 * * * ${words.join(' ')}`;
}

function wordsOf({ program, mapFile, then }: ScheduleInput): string[] {
  return [...program, 'certs', 'renew', '--map', mapFile, ...then.flatMap((word) => ['--then', word])];
}

/** systemd.service(5), "Command lines": quotes, and its own percent and dollar signs doubled. */
function unitWord(word: string): string {
  return `"${word
    .replace(/([\\"])/g, '\\$1')
    .replace(/%/g, '%%')
    .replace(/\$/g, '$$$$')}"`;
}
