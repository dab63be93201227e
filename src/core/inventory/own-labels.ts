import type { Container } from './inventory.ts';

/** By which Compose says whose a container is (Compose's own labels). */
const projectLabel = 'com.docker.compose.project';
const serviceLabel = 'com.docker.compose.service';
const numberLabel = 'com.docker.compose.container-number';

/** A name as Compose makes them; anything else was made by somebody else. */
const composeName = /^[a-zA-Z0-9][a-zA-Z0-9_.-]{0,252}$/;

/**
 * The labels that a container has of itself. An image brings labels of its own, whoever made it: they count for nothing here. Compose writes the project
 * and the service into the images that it builds as well; what it says of a container is told by the number, which it gives to containers alone.
 *
 * @param all of the container, as the engine says them together @param ofImage of its image
 */
export function ownLabels(
  all: Readonly<Record<string, string>>,
  ofImage: Readonly<Record<string, string>>,
): { labels: Record<string, string>; project: string | null; service: string | null } {
  const isOfImage = (key: string): boolean => ofImage[key] !== undefined && ofImage[key] === all[key];
  const isNumbered = all[numberLabel] !== undefined && !isOfImage(numberLabel);
  const ofCompose = [projectLabel, serviceLabel];
  const labels = Object.fromEntries(
    Object.entries(all).filter(([key]) => !isOfImage(key) || (isNumbered && ofCompose.includes(key))),
  );
  const [project, service] = ofCompose.map((key) => labels[key] ?? '');
  const isWhole = composeName.test(project ?? '') && composeName.test(service ?? '');
  return { labels, project: isWhole ? (project ?? null) : null, service: isWhole ? (service ?? null) : null };
}

/** Of two containers that say they are the same one of a service, the younger is no part of it. */
export function withoutDoubles(containers: readonly Container[]): Container[] {
  const first = new Map<string, Container>();
  const keyOf = ({ project, service, labels }: Container): string | null => {
    const number = labels[numberLabel];
    return project === null || service === null || number === undefined ? null : `${project}/${service}/${number}`;
  };
  for (const one of containers) {
    const key = keyOf(one);
    const before = key === null ? undefined : first.get(key);
    if (key !== null && (before === undefined || isOlder(one, before))) first.set(key, one);
  }
  return containers.map((one) => {
    const key = keyOf(one);
    return key === null || first.get(key) === one ? one : { ...one, project: null, service: null };
  });
}

function isOlder(one: Container, other: Container): boolean {
  const [a, b] = [one.made ?? '', other.made ?? ''];
  return a === b ? one.id < other.id : a < b;
}
