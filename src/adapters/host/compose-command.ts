import { existsSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';

/** Folders in which the engine's client looks for its plugins. */
const pluginFolders = [
  join(homedir(), '.docker/cli-plugins'),
  '/usr/local/lib/docker/cli-plugins',
  '/usr/local/libexec/docker/cli-plugins',
  '/usr/lib/docker/cli-plugins',
  '/usr/libexec/docker/cli-plugins',
];

/** The engine's command for Compose files on this machine, as a person types it. Debian 12 has the older program alone. */
export function composeCommand(): string {
  const hasPlugin = pluginFolders.some((folder) => existsSync(join(folder, 'docker-compose')));
  const isAlone =
    !hasPlugin && ['/usr/bin', '/usr/local/bin'].some((folder) => existsSync(join(folder, 'docker-compose')));
  return isAlone ? 'docker-compose' : 'docker compose';
}
