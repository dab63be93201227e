import { sandboxLines } from '../schedule.ts';
import { unitWord } from '../unit-words.ts';

/** Name of the unit that runs the builtin front. */
export const serviceName = 'mile-marker.service';

/**
 * @property program words of the command that runs this program @property map absolute path
 * @property owner whose the files of the map are, by number @property state the folder beside the map @property logs folders of roads' logs
 * @property ports that the front listens on
 */
interface ServiceInput {
  program: readonly string[];
  map: string;
  owner: { uid: number; gid: number };
  state: string;
  logs: readonly string[];
  ports: readonly number[];
}

/**
 * The systemd unit of the builtin front (systemd.service(5), systemd.exec(5)): as the user whose the keys are, with the one right to listen on low
 * ports where it needs it, and with nothing writable but what it writes. It serves what was written last, and takes up what was written since on reload.
 */
export function serviceUnit({ program, map, owner, state, logs, ports }: ServiceInput): string {
  const argv = [...program, 'serve', '--written', '--map', map];
  const low = ports.some((port) => port < 1024);
  return `# Made by \`mile-marker install service\`; \`mile-marker undo service\` removes it.
[Unit]
Description=Mile Marker's own proxy
Wants=network-online.target
After=network-online.target

[Service]
ExecStart=${argv.map(unitWord).join(' ')}
ExecReload=/bin/kill -USR2 $MAINPID
Restart=on-failure
RestartSec=2
TimeoutStopSec=15
LimitNOFILE=65536
User=${String(owner.uid)}
Group=${String(owner.gid)}
${low ? 'AmbientCapabilities=CAP_NET_BIND_SERVICE\n' : ''}CapabilityBoundingSet=${low ? 'CAP_NET_BIND_SERVICE' : ''}
${sandboxLines([state, ...logs]).join('\n')}

[Install]
WantedBy=multi-user.target
`;
}
