import pLimit from 'p-limit';
import type * as z from 'zod';
import type { Container, EngineNetwork } from '../../core/inventory/inventory.ts';
import { listeningIn } from '../host/sockets.ts';
import { alertWords } from '../probe/failure.ts';
import { codeOf, reasonOf, Trouble } from '../trouble.ts';
import type { EngineAddress } from './address.ts';
import { withoutDoubles } from '../../core/inventory/own-labels.ts';
import type { Cluster } from '../../core/cluster/cluster.ts';
import { exchange } from './exchange.ts';
import { readCluster } from './read-cluster.ts';
import {
  containerAnswer,
  imagesAnswer,
  labelsOfImages,
  listAnswer,
  networksAnswer,
  toContainer,
  toNetwork,
  type ImageLabels,
} from './answers.ts';

export interface EngineFacts {
  containers: Container[];
  networks: EngineNetwork[];
  /** Null where it is not asked for: without `cluster` in the map. */
  cluster: Cluster | null;
}

/** How long one answer may take. An engine that starts a container at this moment is slow, not dead. */
const answerMs = 5_000;
const atOnce = 8;

/**
 * Asks the engine for all its containers, running or not, and its networks.
 *
 * @throws Trouble `engine-gone`, `engine-forbidden`, `engine-silent`, `engine-odd` (exit code 3)
 */
export function readEngine(address: EngineAddress, { isManager }: EngineKind): Promise<EngineFacts> {
  return new EngineReader(address, { isManager }).read('all', { withListening: true });
}

/** Asks an engine again and again, and of what it knows already only what may have changed. */
export class EngineReader {
  private known = new Map<string, Answer>();

  constructor(
    private readonly address: EngineAddress,
    private readonly kind: EngineKind = { isManager: false },
  ) {}

  /**
   * A container that goes while it is read is left out, as if it had gone before.
   *
   * @param stale ids of containers that may have changed
   * @param withListening also the ports on which their programs listen, as far as this machine sees them
   */
  async read(stale: ReadonlySet<string> | 'all', { withListening = false } = {}): Promise<EngineFacts> {
    const { address } = this;
    const get = <T extends z.ZodType>(path: string, form: T): Promise<z.output<T>> => ask({ path, form, address });
    const [list, networks, images, cluster] = await Promise.all([
      get('/containers/json?all=true', listAnswer),
      get('/networks', networksAnswer),
      this.imageLabels(),
      this.kind.isManager ? this.readCluster() : null,
    ]);
    const limit = pLimit(atOnce);
    const answers = await Promise.all(
      list.map(({ Id: id }) => {
        const before = stale === 'all' || stale.has(id) ? undefined : this.known.get(id);
        return before ?? limit(() => inspect(id, address));
      }),
    );
    const there = answers.flatMap((answer) => (answer === null ? [] : [answer]));
    this.known = new Map(there.map((answer) => [answer.Id, answer]));
    const names = new Map(there.map(({ Id: id, Name: name }) => [id, name.replace(/^\//, '')]));
    const containers = there.map((answer): Container => {
      const { Id: id, State: state } = answer;
      // By a socket the engine is of this machine, where its processes can be looked at.
      const isHere = withListening && address.kind === 'socket' && typeof state.Pid === 'number' && state.Pid > 0;
      return { ...toContainer(answer, names, images), listening: isHere ? listeningIn(state.Pid ?? 0, id) : null };
    });
    // Of the cluster's own containers this engine knows those of its node alone.
    const own = cluster === null ? containers : containers.filter(({ labels }) => labels[ofTask] === undefined);
    return { containers: withoutDoubles(own), networks: networks.map(toNetwork), cluster };
  }

  /** What images say of themselves; an engine that does not tell leaves everything as it is said of the containers. */
  private async imageLabels(): Promise<ImageLabels> {
    const found = imagesAnswer.safeParse(await get('/images/json', this.address).catch(() => []));
    return labelsOfImages(found.data ?? []);
  }

  /** @throws Trouble `cluster-unanswered` too */
  async readCluster(): Promise<Cluster> {
    const { address } = this;
    try {
      return await readCluster(async (path, form) => parse(await get(path, address), { path, form, address }));
    } catch (error) {
      throw clusterTrouble(error, address);
    }
  }
}

/** @property isManager it is a manager of a cluster, and asked for all of it */
interface EngineKind {
  isManager: boolean;
}

/** By which the engine marks containers that the cluster placed. */
const ofTask = 'com.docker.swarm.task.id';

type Answer = z.output<typeof containerAnswer>;

interface Asked<T extends z.ZodType> {
  path: string;
  form: T;
  address: EngineAddress;
}

async function ask<T extends z.ZodType>({ path, form, address }: Asked<T>): Promise<z.output<T>> {
  let answer: unknown;
  try {
    answer = await get(path, address);
  } catch (error) {
    throw asTrouble(error, address);
  }
  return parse(answer, { path, form, address });
}

function parse<T extends z.ZodType>(answer: unknown, { path, form, address }: Asked<T>): z.output<T> {
  const read = form.safeParse(answer);
  if (read.success) return read.data;
  const issue = read.error.issues[0];
  throw odd(address, `${path} answers in an unknown form (${issue?.path.join('.') ?? ''}: ${issue?.message ?? ''})`);
}

/** @throws an error with the `statusCode` of an answer that is none, and what `exchange` throws */
async function get(path: string, address: EngineAddress): Promise<unknown> {
  const { status, body: bytes } = await exchange(address, { path, timeoutMs: answerMs });
  const body = bytes.toString('utf8');
  if (status !== 200) throw Object.assign(new Error(body.slice(0, 200)), { statusCode: status });
  try {
    return JSON.parse(body);
  } catch {
    // What it is instead is said when its form is looked at.
    return body;
  }
}

/** Only a manager knows the cluster, and without a majority of managers it waits, then fails (Engine API v1.41: 503, 500). */
function clusterTrouble(error: unknown, address: EngineAddress): Error {
  if (error instanceof Trouble) return error;
  const { statusCode: status, message } = error as { statusCode?: unknown; message?: string };
  const code = codeOf(error);
  const [why, remedy] =
    status === 503 || /not a swarm manager/.test(message ?? '')
      ? [
          'it is not a manager node of a cluster',
          'Name a manager: engine, in the map. On this machine: docker node promote NODE, run on a manager.',
        ]
      : status === 500 || code === 'ETIMEDOUT' || code === 'ABORT_ERR'
        ? [
            'too few of its manager nodes are up (no quorum)',
            'Start the other manager nodes. Running services keep running until then. If the nodes are lost for good: docker swarm init --force-new-cluster',
          ]
        : [null, ''];
  if (why === null) return asTrouble(error, address);
  const words = `The cluster cannot be asked at ${address.shown}: ${why}.`;
  return new Trouble({ code: 'cluster-unanswered', message: words, remedy, cause: error });
}

/** One container; null for one that has gone meanwhile. */
async function inspect(id: string, address: EngineAddress): Promise<Answer | null> {
  const path = `/containers/${encodeURIComponent(id)}/json`;
  try {
    return parse(await get(path, address), { path, form: containerAnswer, address });
  } catch (error) {
    if (error instanceof Trouble) throw error;
    if ((error as { statusCode?: unknown } | null)?.statusCode === 404) return null;
    throw asTrouble(error, address);
  }
}

const rootWords = 'anyone who can use it has root rights on this machine';

function asTrouble(error: unknown, address: EngineAddress): Error {
  const status = (error as { statusCode?: unknown } | null)?.statusCode;
  const at = address.shown;
  const code = codeOf(error);
  if (status === 401 || status === 403 || code === 'EACCES' || code === 'EPERM') {
    const remedy = `Run it with sudo, or join the group that owns the socket (${rootWords}). Or write \`engine: none\` in the map.`;
    return new Trouble({
      code: 'engine-forbidden',
      message: `Permission denied: the container engine at ${at}.`,
      remedy,
      cause: error,
    });
  }
  if (code === 'ETIMEDOUT' || code === 'ABORT_ERR') {
    const message = `The container engine at ${at} does not answer within ${String(answerMs / 1000)} seconds.`;
    return new Trouble({
      code: 'engine-silent',
      message,
      remedy: 'Check whether it is busy or hangs, then try again.',
      cause: error,
    });
  }
  if (status === 400 && error instanceof Error && /HTTPS server/.test(error.message)) return wantsTls(at, error);
  if (typeof status === 'number') return odd(address, `it answers ${String(status)}`, error);
  const why = alertWords(error instanceof Error ? error.message : '') ?? reasonOf(error);
  const message = `The container engine cannot be reached at ${at}: ${why}.`;
  const remedy =
    'Start it, correct `engine` in the map or DOCKER_HOST, or write `engine: none` to use the Compose files only.';
  return new Trouble({ code: 'engine-gone', message, remedy, cause: error });
}

/** What Go's server answers to plain HTTP on a TLS port. */
function wantsTls(at: string, cause: Error): Trouble {
  return new Trouble({
    code: 'engine-wants-tls',
    message: `The container engine at ${at} wants TLS.`,
    remedy:
      'Name your certificate for it: DOCKER_TLS_VERIFY=1 and DOCKER_CERT_PATH=FOLDER with ca.pem, cert.pem and key.pem.',
    cause,
  });
}

function odd({ shown }: EngineAddress, what: string, cause?: unknown): Trouble {
  return new Trouble({
    code: 'engine-odd',
    message: `What answers at ${shown} does not seem to be a container engine: ${what}.`,
    remedy: 'Correct `engine` in the map, or write `engine: none`.',
    cause,
  });
}
