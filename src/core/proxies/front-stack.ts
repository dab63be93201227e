import { stringify } from 'yaml';
import type { Plan } from '../plan/plan.ts';
import { frontStackName } from '../plan/where-front.ts';
import { askWords, quotedStyle } from './compose-parts.ts';
import { programOf } from './programs.ts';

export const frontStackFile = 'front.stack.yaml';

/** First line of the file; what does not begin so is somebody else's and is never replaced. */
export const frontStackHeader = '# Written by `mile-marker write --cluster` from your map. Do not edit it here.';

/** The label of a node that is one of the front. */
export const frontNodeLabel = 'mile-marker.front';

/** Labels of the service: what the front answers to its mark, and a sum over all that it is made of. */
export const stackLabels = { mark: 'mile-marker.mark', sum: 'mile-marker.sum' } as const;

/** Who the proxy is in its container: nobody of the image, so that nobody else may read its keys. */
const frontUser = 29_180;

/**
 * A file that the proxy reads, at the same place in the container as on this machine.
 *
 * @property path absolute @property source where it really lies
 * @property sum of what is in it, in hexadecimal
 * @property isSecret keys, and people with their hashes
 */
export interface StackFile {
  path: string;
  source: string;
  sum: string;
  isSecret: boolean;
}

/**
 * @property mark what this edition answers to its mark
 * @property folders absolute paths of the written files and of the certificates
 * @property sum over all that the service is made of; it stands in a label, by which is known what runs
 */
interface FrontStackInput {
  plan: Plan;
  files: readonly StackFile[];
  mark: string;
  mapFile: string;
  folders: { front: string; certificates: string };
  sum: string;
}

/** What the cluster calls a file: a new name for new bytes, since neither a config nor a secret can be changed (Engine API v1.41, "Configs", "Secrets"). */
export function stackFileName({ sum }: Pick<StackFile, 'sum'>): string {
  return `${frontStackName}-${sum.slice(0, 20)}`;
}

/**
 * A stack file for the front as a service of a cluster (Compose file format 3.8): one proxy on each node of the front, on the node's own ports, so that it sees
 * visitors' addresses; its files as configs, what is secret as secrets. Nodes are replaced one after the other, each only when the one before answers the new
 * mark; when one does not, the engine goes back by itself.
 */
export function frontStack({ plan, files, mark, mapFile, folders, sum }: FrontStackInput): {
  text: string;
  image: string;
} {
  const { proxy, container, cluster, listen } = plan.front;
  const program = programOf(proxy);
  const owner = { uid: frontUser, gid: frontUser };
  const made = program.compose?.({ plan, mapFile, ...folders, more: [], program: '', owner }) ?? {};
  const image = String(made['image']);
  const networks = cluster?.networks ?? [];
  const service = {
    image,
    command: made['command'],
    user: `${String(frontUser)}:${String(frontUser)}`,
    ports: [...[listen.http, listen.https].map((port) => ({ port, protocol: 'tcp' as const })), ...plan.ports].map(
      ({ port, protocol }) => ({ target: port, published: port, protocol, mode: 'host' }),
    ),
    networks: networks.length === 0 ? undefined : networks,
    configs: mounted(files, false),
    secrets: mounted(files, true),
    healthcheck: {
      test: ['CMD-SHELL', answersMark(plan, mark)],
      ...{ interval: '2s', timeout: '5s', retries: 3, start_period: '20s' },
    },
    stop_signal: program.contained?.stop,
    stop_grace_period: '30s',
    cap_drop: ['ALL'],
    read_only: true,
    volumes: [{ type: 'tmpfs', target: '/tmp' }],
    labels: { [stackLabels.mark]: mark, [stackLabels.sum]: sum },
    deploy: {
      mode: 'global',
      // Names of tasks have an address each everywhere; virtual addresses are none of a front's.
      endpoint_mode: 'dnsrr',
      placement: { constraints: [`node.labels.${frontNodeLabel} == yes`] },
      restart_policy: { condition: 'any', delay: '1s' },
      update_config: { parallelism: 1, order: 'stop-first', monitor: '5s', failure_action: 'rollback' },
      rollback_config: { parallelism: 1, order: 'stop-first', monitor: '5s' },
    },
  };
  const file = {
    version: '3.8',
    services: { [container ?? 'front']: service },
    ...(networks.length === 0
      ? {}
      : { networks: Object.fromEntries(networks.map((name) => [name, { external: true, name }])) }),
    configs: declared(files, false),
    secrets: declared(files, true),
  };
  // The engine would take a dollar sign for a variable.
  const text = stringify(file, quotedStyle).replaceAll('$', '$$$$');
  const nodes = (cluster?.nodes ?? []).map(
    (node) => `#   docker node update --label-add ${frontNodeLabel}=yes ${node}\n`,
  );
  const head = `${frontStackHeader}\n# \`mile-marker install\` brings it live. By hand, once:\n${nodes.join('')}# and then:\n#   docker stack deploy -c ${frontStackFile} ${frontStackName}\n`;
  return { text: head + text, image };
}

function answersMark({ front }: Plan, mark: string): string {
  const asked = askWords(`http://${front.mark.address}:${String(front.mark.port)}/mark`);
  return `case "$(${asked})" in *"${mark}"*) ;; *) exit 1 ;; esac`;
}

function mounted(files: readonly StackFile[], isSecret: boolean): unknown[] | undefined {
  const wanted = files.filter((file) => file.isSecret === isSecret);
  if (wanted.length === 0) return undefined;
  const [uid, gid] = [String(frontUser), String(frontUser)];
  return wanted.map((file) => ({
    ...{ source: stackFileName(file), target: file.path, uid, gid },
    mode: isSecret ? 0o400 : 0o444,
  }));
}

function declared(files: readonly StackFile[], isSecret: boolean): Record<string, unknown> | undefined {
  const wanted = files.filter((file) => file.isSecret === isSecret);
  if (wanted.length === 0) return undefined;
  return Object.fromEntries(
    wanted.map((file) => [stackFileName(file), { name: stackFileName(file), file: file.source }]),
  );
}
