import { dirname } from 'node:path';
import { readComposeFiles } from '../../adapters/compose/read-files.ts';
import type { EngineFacts } from '../../adapters/engine/read-engine.ts';
import type { EngineHeard } from '../../adapters/files/found.ts';
import { engineAddress, type EngineAddress } from '../../adapters/engine/address.ts';
import { statePaths } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { tell } from '../../core/findings/card.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { engineUnanswered } from '../../core/inventory/engine-card.ts';
import type { Inventory } from '../../core/inventory/inventory.ts';
import { servicesOfCluster } from '../../core/cluster/services.ts';
import { withContainers } from '../../core/inventory/with-containers.ts';
import type { SiteMap } from '../../core/map/site-map.ts';
import { readMachines } from './read-machines.ts';

interface InventoryInput {
  /** Null when there is no map yet: then the engine alone is asked. */
  map: SiteMap | null;
  mapFile: string;
  cwd: string;
  env: Readonly<Record<string, string | undefined>>;
  /** What the engine said a moment ago, for one that is listened to all the time; absent: it is asked now. */
  heard?: HeardEngines | undefined;
}

/** What engines said a moment ago. @property engine of this machine; null when there is none, or it has said nothing yet */
export interface HeardEngines {
  engine: EngineHeard | null;
  machines: ReadonlyMap<string, EngineHeard>;
}

/** @property trouble why the engine gave no answer, or null */
interface TakenInventory {
  inventory: Inventory;
  /** What the engines of other machines said. */
  machines: ReadonlyMap<string, EngineHeard>;
  findings: Finding[];
  trouble: Trouble | null;
}

/** Everything that is declared and everything that runs. An engine that does not answer is a finding, not the end. */
export async function takeInventory({ map, mapFile, cwd, env, heard }: InventoryInput): Promise<TakenInventory> {
  const [compose, engine, machines] = await Promise.all([
    readComposeFiles({ compose: map?.compose ?? [], mapFile, cwd, env }),
    heard === undefined ? askEngine(map?.engine?.address ?? null, map?.cluster ?? false, env) : heardAnswer(heard),
    map === null || map.machines.length === 0
      ? null
      : readMachines({ map, mapFolder: dirname(mapFile), paths: statePaths(mapFile), heard: heard?.machines }),
  ]);
  const { facts, trouble, chosen } = engine;
  const findings = [...compose.findings, ...(machines?.findings ?? [])];
  if (trouble !== null) {
    const data = { problem: trouble.message, advice: trouble.remedy };
    const about = {
      where: map?.engine?.where ?? null,
      cause: 'engine',
      severity: chosen ? 'error' : 'warning',
    } as const;
    findings.push(tell(engineUnanswered, { say: 'unanswered', data, ...about }));
  }
  const placed = facts === null || facts.cluster === null ? [] : servicesOfCluster(facts.cluster);
  const services = [
    ...withContainers(compose.services, facts?.containers ?? []),
    ...placed,
    ...(machines?.services ?? []),
  ];
  const inventory = {
    ...{ services, networks: facts?.networks ?? [], asked: facts !== null, failed: trouble !== null },
    machines: machines?.machines ?? [],
    nodes: facts?.cluster?.nodes ?? [],
  };
  return { inventory, machines: machines?.heard ?? new Map(), findings, trouble };
}

interface Answer {
  facts: EngineFacts | null;
  trouble: Trouble | null;
  chosen: boolean;
}

/** What it says now counts for as long as it gives no answer else; only one that has never answered is as if it had been asked in vain. */
function heardAnswer({ engine }: HeardEngines): Answer {
  if (engine === null || engine.facts !== null) return { facts: engine?.facts ?? null, trouble: null, chosen: false };
  const trouble = engine.trouble === null ? null : new Trouble({ code: 'engine-gone', ...engine.trouble });
  return { facts: null, trouble, chosen: true };
}

async function askEngine(written: string | null, isManager: boolean, env: InventoryInput['env']): Promise<Answer> {
  let address: EngineAddress | null = null;
  try {
    address = engineAddress(written, env);
    if (address === null) return { facts: null, trouble: null, chosen: false };
    // Loaded only where there is an engine to ask.
    const { readEngine } = await import('../../adapters/engine/read-engine.ts');
    return { facts: await readEngine(address, { isManager }), trouble: null, chosen: address.chosen };
  } catch (trouble) {
    if (!(trouble instanceof Trouble)) throw trouble;
    return { facts: null, trouble, chosen: address?.chosen ?? true };
  }
}
