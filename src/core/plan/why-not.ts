import { titleOf } from '../inventory/inventory.ts';
import type { Resolution } from './resolve-service.ts';

/** Why it cannot be said where a road's service is dialled, in a few words; null when it can. */
export function whyNot(found: Resolution): string | null {
  switch (found.kind) {
    case 'dialled':
      return null;
    case 'service-unknown':
      return 'no such service';
    case 'service-ambiguous':
      return `several projects have such a service: ${found.projects.join(', ')}`;
    case 'port-not-published':
      return found.insideOf === null
        ? `${named(found)} does not publish that port`
        : `that is the outside port; inside it is ${String(found.insideOf)}`;
    case 'machine-unknown':
      return `what runs on ${found.machine} is not known`;
    case 'no-shared-network':
      return `${named(found)} shares no network with the front`;
    case 'bridge':
      return `an address of the container network ${found.network}, which changes at each start`;
    case 'loopback':
      return 'loopback of this machine, which a front in a container does not see';
  }
}

function named({ service }: Resolution): string {
  return service === null ? 'it' : titleOf(service);
}
