import { shellWord } from '../shell-word.ts';
import type { Service } from './inventory.ts';

/** Names of which the program for Compose files finds one by itself, in the folder where it is started (Compose Specification, "The Compose file"). */
const usualNames = ['compose.yaml', 'compose.yml', 'docker-compose.yaml', 'docker-compose.yml'];

/**
 * The command for the project of a service, as it works where the tool was started. The files that the map names say it; the engine knows of others that the
 * containers were made from.
 *
 * @param compose the bare command
 */
export function composeFor(
  compose: string,
  { declared, containers }: Pick<Service, 'declared' | 'containers'>,
): string {
  const named = declared?.files ?? [];
  const [only, second] = named;
  if (only !== undefined && second === undefined && usualNames.includes(only)) return compose;
  const made = composeFilesOf(containers[0]?.labels);
  const files = made.length > named.length ? made : named;
  return [compose, ...files.map((file) => `-f ${shellWord(file)}`)].join(' ');
}

/** What starts a service: the project that it belongs to, else its container by name, which no Compose file knows. */
export function startCommand(compose: string, service: Pick<Service, 'name' | 'declared' | 'containers'>): string {
  const [container] = service.containers;
  const isOfCompose = service.declared !== null || composeFilesOf(container?.labels).length > 0;
  if (isOfCompose) return `${composeFor(compose, service)} up -d ${shellWord(service.name)}`;
  const engine = /^podman/.test(compose) ? 'podman' : 'docker';
  return `${engine} start ${shellWord(container?.name ?? service.name)}`;
}

/** The same where it is not known which of the services is meant: of several projects the file is left to the person. */
export function composeForAny(compose: string, services: readonly Service[]): string {
  const commands = new Set(services.filter(({ declared }) => declared !== null).map((one) => composeFor(compose, one)));
  const [only, second] = commands;
  return second === undefined ? (only ?? compose) : `${compose} -f ITS-FILE`;
}

/** Compose files that a container was made from, as Compose labels it. */
export function composeFilesOf(labels: Readonly<Record<string, string>> = {}): string[] {
  return labels['com.docker.compose.project.config_files']?.split(',') ?? [];
}
