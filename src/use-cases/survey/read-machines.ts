import { machineAddress } from '../../adapters/engine/address.ts';
import type { EngineHeard } from '../../adapters/files/found.ts';
import { lastFound } from '../../adapters/files/machines.ts';
import type { StatePaths } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { absolutePath } from '../../core/plan/absolute-path.ts';
import { tell } from '../../core/findings/card.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { machineUnanswered } from '../../core/inventory/engine-card.ts';
import type { MachineFound, Service } from '../../core/inventory/inventory.ts';
import { withContainers } from '../../core/inventory/with-containers.ts';
import type { MapMachine, SiteMap } from '../../core/map/site-map.ts';

interface TakenMachines {
  machines: MachineFound[];
  services: Service[];
  findings: Finding[];
  /** What each said, by name, to be kept. */
  heard: Map<string, EngineHeard>;
}

interface MachinesInput {
  map: SiteMap;
  mapFolder: string;
  paths: Pick<StatePaths, 'machines'>;
  /** What they said a moment ago; absent: they are asked now. */
  heard?: ReadonlyMap<string, EngineHeard> | undefined;
}

/** Asks the engine of every machine of the map, all at one time. One that does not answer is taken as it was found last, and said once. */
export async function readMachines({ map, mapFolder, paths, heard }: MachinesInput): Promise<TakenMachines> {
  const taken: TakenMachines = { machines: [], services: [], findings: [], heard: new Map() };
  const answers = await Promise.all(
    map.machines.map(async (machine) => {
      const answer = heard?.get(machine.name) ?? (await askMachine(machine, mapFolder));
      const before = answer.facts === null ? await lastFound(paths, machine.name) : null;
      return { machine, answer, before };
    }),
  );
  for (const { machine, answer, before } of answers) {
    const { name, address } = machine;
    const facts = answer.facts ?? before?.facts ?? null;
    taken.heard.set(name, answer);
    taken.machines.push({ name, address, known: facts !== null, since: before?.at ?? null });
    taken.services.push(...withContainers([], facts?.containers ?? [], name));
    if (answer.trouble !== null) taken.findings.push(unanswered(machine, answer.trouble, before?.at ?? null, map));
  }
  return taken;
}

async function askMachine({ name, engine, keys }: MapMachine, mapFolder: string): Promise<EngineHeard> {
  try {
    const address = machineAddress(engine, keys === null ? null : absolutePath(mapFolder, keys));
    const { EngineReader } = await import('../../adapters/engine/read-engine.ts');
    return { facts: await new EngineReader(address).read('all'), trouble: null };
  } catch (trouble) {
    if (!(trouble instanceof Trouble)) throw trouble;
    return { facts: null, trouble: { message: trouble.message, remedy: adviceFor(trouble, { name, engine }) } };
  }
}

/** The advice for an engine of this machine would be wrong for another one's. */
function adviceFor({ code, remedy }: Trouble, { name, engine }: Pick<MapMachine, 'name' | 'engine'>): string {
  if (code === 'engine-address') return remedy;
  if (code === 'engine-wants-tls')
    return `Put ca.pem, cert.pem and key.pem for it into a folder, and write at ${name}: keys: keys/${name}`;
  if (engine.startsWith('ssh:')) {
    const words = /^ssh:\/\/([^:/]+)(?::(\d+))?/.exec(engine);
    const port = words?.[2] === undefined ? '' : `-p ${words[2]} `;
    return `Try it by hand and answer its questions: ssh ${port}${words?.[1] ?? ''} docker version.`;
  }
  return 'Check that the machine is up, that its engine listens there, and that `keys` of the machine are of its authority.';
}

function unanswered(
  { name: machine, where }: MapMachine,
  { message: problem, remedy: advice }: { message: string; remedy: string },
  since: string | null,
  { roads, ports }: SiteMap,
): Finding {
  const leadsThere = (leads: { kind: string; machine?: string | null }): boolean =>
    leads.kind === 'service' && leads.machine === machine;
  const concerned = [
    ...roads.filter(({ parts }) => parts.some(({ leads }) => leadsThere(leads))),
    ...ports.filter(({ leads }) => leadsThere(leads)),
  ].map(({ name }) => name);
  const common = { roads: concerned, where, cause: `machine:${machine}` };
  if (since !== null)
    return tell(machineUnanswered, { say: 'before', data: { machine, problem, advice, since }, ...common });
  const severity = concerned.length > 0 ? 'error' : 'warning';
  return tell(machineUnanswered, { say: 'never', data: { machine, problem, advice }, severity, ...common });
}
