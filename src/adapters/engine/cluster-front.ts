import * as z from 'zod';
import { frontNodeLabel, stackLabels } from '../../core/proxies/front-stack.ts';
import { frontServiceName, frontStackName } from '../../core/plan/where-front.ts';
import type { EngineAddress } from './address.ts';
import { EngineApi, quickMs } from './api.ts';
import { demultiplexed } from './container.ts';

/**
 * What the cluster says of the front.
 *
 * @property sum over all that its service is made of now
 * @property mark what it answers to its mark on every node of the front; null until it is the same on all
 * @property waiting nodes that do not have it whole yet, with what the engine says that their tasks do
 * @property error what the engine says of the newest task that failed
 * @property failures how many tasks of what it is made of now have failed
 * @property isChanging the engine still replaces tasks
 */
export interface FrontOfCluster {
  sum: string | null;
  mark: string | null;
  waiting: string[];
  error: string | null;
  failures: number;
  isChanging: boolean;
}

const labels = z.record(z.string(), z.string()).nullish();

const serviceAnswer = z.looseObject({
  Spec: z.looseObject({
    TaskTemplate: z.looseObject({ ContainerSpec: z.looseObject({ Labels: labels }).nullish() }),
  }),
  UpdateStatus: z.looseObject({ State: z.string().nullish() }).nullish(),
});

const tasksAnswer = z.array(
  z.looseObject({
    NodeID: z.string().nullish(),
    DesiredState: z.string(),
    Status: z.looseObject({ State: z.string(), Timestamp: z.string().nullish(), Err: z.string().nullish() }),
    Spec: z.looseObject({ ContainerSpec: z.looseObject({ Labels: labels }).nullish() }),
  }),
);

const nodesAnswer = z.array(
  z.looseObject({
    ID: z.string(),
    Version: z.looseObject({ Index: z.number() }),
    Spec: z.looseObject({ Labels: labels, Availability: z.string() }),
    Description: z.looseObject({ Hostname: z.string().nullish() }).nullish(),
    Status: z.looseObject({ State: z.string() }),
  }),
);

const storedAnswer = z.array(z.looseObject({ ID: z.string(), Spec: z.looseObject({ Name: z.string() }) }));

/** The front as a service of a cluster, through the API of a manager (Engine API v1.41: Service, Task, Node, Config, Secret). */
export class ClusterFront {
  private readonly api: EngineApi;

  constructor(
    address: EngineAddress,
    private readonly container: string,
  ) {
    this.api = new EngineApi(address);
  }

  /** Null when the cluster has no such service. */
  async state(): Promise<FrontOfCluster | null> {
    const name = frontServiceName(this.container);
    const service = await this.api.find(`/services/${encodeURIComponent(name)}`, serviceAnswer);
    if (service === null) return null;
    const filters = encodeURIComponent(JSON.stringify({ service: [name] }));
    const [tasks, nodes] = await Promise.all([
      this.api.ask(`/tasks?filters=${filters}`, undefined, tasksAnswer),
      this.api.ask('/nodes', undefined, nodesAnswer),
    ]);
    const known = service.Spec.TaskTemplate.ContainerSpec?.Labels;
    const sum = known?.[stackLabels.sum] ?? null;
    const isWhole = (node: string): boolean =>
      tasks.some(
        ({ NodeID: at, DesiredState: wanted, Status, Spec: { ContainerSpec: spec } }) =>
          at === node && wanted === 'running' && Status.State === 'running' && spec?.Labels?.[stackLabels.sum] === sum,
      );
    const own = nodes.filter(isOfFront).filter(({ Spec: { Availability: use } }) => use !== 'drain');
    // A node that is away keeps nobody waiting: its task is brought up to date when it comes back.
    const there = own.filter(({ Status }) => Status.State === 'ready');
    const failed = tasks
      .filter(({ Status }) => (Status.State === 'failed' || Status.State === 'rejected') && Boolean(Status.Err))
      .sort((a, b) => ((a.Status.Timestamp ?? '') < (b.Status.Timestamp ?? '') ? 1 : -1));
    const stateOn = (node: string): string =>
      tasks.find(({ NodeID: at, DesiredState: wanted }) => at === node && wanted === 'running')?.Status.State ??
      'no task';
    const waiting = there.filter(({ ID: id }) => !isWhole(id)).map((node) => `${nameOf(node)} (${stateOn(node.ID)})`);
    const isAll = there.length > 0 && waiting.length === 0;
    return {
      sum,
      mark: isAll ? (known?.[stackLabels.mark] ?? null) : null,
      waiting,
      error: failed[0]?.Status.Err ?? null,
      failures: failed.filter(({ Spec }) => Spec.ContainerSpec?.Labels?.[stackLabels.sum] === sum).length,
      isChanging: ['updating', 'rollback_started'].includes(service.UpdateStatus?.State ?? ''),
    };
  }

  /** The last line of its errors, on whichever node; null when there is none. */
  async lastError(): Promise<string | null> {
    const path = `/services/${encodeURIComponent(frontServiceName(this.container))}/logs?stderr=1&tail=5`;
    const { err } = demultiplexed(await this.api.raw('GET', path, quickMs));
    return err.trim().split('\n').at(-1)?.trim() || null;
  }

  /** Gives the nodes of the front their label, and takes it from others. @returns names that no node has; then nothing is changed */
  async labelNodes(wanted: readonly string[]): Promise<string[]> {
    const nodes = await this.api.ask('/nodes', undefined, nodesAnswer);
    const unknown = wanted.filter((name) => !nodes.some((node) => nameOf(node) === name));
    if (unknown.length > 0) return unknown;
    for (const node of nodes) {
      const isWanted = wanted.includes(nameOf(node));
      if (isWanted === isOfFront(node)) continue;
      const others = Object.fromEntries(
        Object.entries(node.Spec.Labels ?? {}).filter(([key]) => key !== frontNodeLabel),
      );
      const spec = { ...node.Spec, Labels: isWanted ? { ...others, [frontNodeLabel]: 'yes' } : others };
      const version = String(node.Version.Index);
      await this.api.raw('POST', `/nodes/${node.ID}/update?version=${version}`, quickMs, spec);
    }
    return [];
  }

  /** Removes the files of the front that are not of these names. The engine keeps those that a service still has. */
  async removeSpare(names: ReadonlySet<string>): Promise<void> {
    const filters = encodeURIComponent(JSON.stringify({ label: [`com.docker.stack.namespace=${frontStackName}`] }));
    for (const kind of ['configs', 'secrets']) {
      const stored = await this.api.ask(`/${kind}?filters=${filters}`, undefined, storedAnswer);
      for (const { ID: id, Spec: spec } of stored)
        if (!names.has(spec.Name)) await this.api.raw('DELETE', `/${kind}/${id}`, quickMs).catch(() => undefined);
    }
  }
}

function isOfFront({ Spec: { Labels: known } }: z.output<typeof nodesAnswer>[number]): boolean {
  return known?.[frontNodeLabel] === 'yes';
}

function nameOf({ Description: about, ID: id }: z.output<typeof nodesAnswer>[number]): string {
  return about?.Hostname ?? id;
}
