import { sandboxLines, type ScheduledFile } from '../schedule.ts';
import { unitWord } from '../unit-words.ts';

/** Names of the units that keep a front up to date. */
export const followNames = {
  engine: 'mile-marker-follow-engine.service',
  front: 'mile-marker-follow.service',
} as const;

/**
 * @property program words of the command that runs this program @property map absolute path
 * @property owner whose the files of the map are, by number @property state the folder beside the map
 * @property socketGroup group that owns the engine's socket, by number; null where it is asked over the network, or belongs to root alone
 * @property front where the front is kept from: as the owner of the map, as root since a server has to be told, or through the engine itself
 * @property write what telling that server writes to
 */
interface FollowUnitsInput {
  program: readonly string[];
  map: string;
  owner: { uid: number; gid: number };
  state: string;
  socketGroup: number | null;
  front: 'as-owner' | 'as-root' | 'by-engine';
  write: readonly string[];
}

/** What a server is tested and told with: its files and keys are of other users, and it looks at its low ports. */
const rootRights = 'CAP_CHOWN CAP_DAC_OVERRIDE CAP_FOWNER CAP_KILL CAP_NET_BIND_SERVICE CAP_SETGID CAP_SETUID';

/**
 * The systemd units of `follow` (systemd.service(5), systemd.exec(5)), in two halves: whoever may use the engine's socket is root on this machine, so the one
 * that reads it writes down what it found and nothing else, and the one that makes the plan, tests it and tells the server never sees the socket. A front in
 * a container is told through the engine itself, by one unit.
 */
export function followUnits(input: FollowUnitsInput): ScheduledFile[] {
  const { front } = input;
  if (front === 'by-engine')
    return [unit(input, { name: followNames.front, half: null, asRoot: false, hasSocket: true })];
  return [
    unit(input, { name: followNames.engine, half: 'engine', asRoot: false, hasSocket: true }),
    unit(input, { name: followNames.front, half: 'front', asRoot: front === 'as-root', hasSocket: false }),
  ];
}

interface Half {
  name: string;
  half: 'engine' | 'front' | null;
  asRoot: boolean;
  hasSocket: boolean;
}

function unit(
  { program, map, owner, state, socketGroup, write }: FollowUnitsInput,
  { name, half, asRoot, hasSocket }: Half,
): ScheduledFile {
  const argv = [...program, 'follow', ...(half === null ? [] : ['--half', half]), '--map', map];
  const user = asRoot ? [] : [`User=${String(owner.uid)}`, `Group=${String(owner.gid)}`];
  const group = hasSocket && socketGroup !== null ? [`SupplementaryGroups=${String(socketGroup)}`] : [];
  const what = {
    engine: 'write down what its container engine says',
    front: 'keep its front up to date',
    both: 'keep its front up to date with the container engine',
  }[half ?? 'both'];
  const lines = [
    `# Made by \`mile-marker install follow\`; \`mile-marker undo follow\` removes it.`,
    '[Unit]',
    `Description=Mile Marker: ${what}`,
    'Wants=network-online.target',
    'After=network-online.target',
    '',
    '[Service]',
    `ExecStart=${argv.map(unitWord).join(' ')}`,
    'Restart=always',
    'RestartSec=2',
    'TimeoutStopSec=30',
    ...user,
    ...group,
    `CapabilityBoundingSet=${asRoot ? rootRights : ''}`,
    ...sandboxLines([state, ...(asRoot ? write : [])]),
    '',
    '[Install]',
    'WantedBy=multi-user.target',
    '',
  ];
  return { path: name, content: lines.join('\n') };
}
