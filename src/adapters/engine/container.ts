import { setTimeout as pause } from 'node:timers/promises';
import * as z from 'zod';
import type { EngineAddress } from './address.ts';
import { EngineApi, parsed, quickMs } from './api.ts';

/** How a command in a container ended, and what it said. */
interface EndedInside {
  code: number;
  out: string;
  err: string;
}

/** The engine waits ten seconds for a container to end by itself before it kills it. */
const stopMs = 30_000;

const inspected = z.looseObject({
  // Some engines write it with an offset.
  Created: z.iso.datetime({ offset: true }),
  State: z.looseObject({ Running: z.boolean() }),
  Config: z.looseObject({ Image: z.string(), User: z.string().optional(), Env: z.array(z.string()).nullish() }),
  HostConfig: z.looseObject({ Binds: z.array(z.string()).nullish(), Mounts: z.array(z.unknown()).nullish() }),
});
type Inspected = z.output<typeof inspected>;

/**
 * One container, by its name, through the engine's HTTP API (version 1.41 and later; "Containers" and "Exec" of its reference). Every call ends within its
 * time limit; what goes wrong is an `Error` with a whole sentence less its full stop.
 */
export class EngineContainer {
  private readonly api: EngineApi;

  constructor(
    address: EngineAddress,
    readonly name: string,
  ) {
    this.api = new EngineApi(address);
  }

  /** Whether it runs, and when it was made; null when there is none of this name. */
  async state(): Promise<{ running: boolean; made: Date } | null> {
    const found = await this.inspect();
    return found === null ? null : { running: found.State.Running, made: new Date(found.Created) };
  }

  async start(): Promise<void> {
    await this.order(`${this.path}/start`, stopMs);
  }

  async stop(): Promise<void> {
    await this.order(`${this.path}/stop`, stopMs);
  }

  /** @param signal as `kill -s` has it, such as HUP */
  async signal(signal: string): Promise<void> {
    await this.order(`${this.path}/kill?signal=${signal}`, quickMs);
  }

  /** The last line of its errors; null when there is none. */
  async lastError(): Promise<string | null> {
    const said = demultiplexed(await this.api.raw('GET', `${this.path}/logs?stderr=1&tail=1`, quickMs));
    return said.err.trim() || null;
  }

  /** Runs a command in it. */
  async run(argv: readonly string[]): Promise<EndedInside> {
    const made = await this.api.ask(
      `${this.path}/exec`,
      { AttachStdout: true, AttachStderr: true, Cmd: argv },
      idAnswer,
    );
    const body = await this.api.raw('POST', `/exec/${made.Id}/start`, quickMs, { Detach: false, Tty: false });
    for (let left = 20; left > 0; left -= 1) {
      const { ExitCode: code } = await this.api.ask(`/exec/${made.Id}/json`, undefined, exitAnswer);
      if (code !== null) return { code, ...demultiplexed(body) };
      await pause(50);
    }
    throw new Error(`the engine does not say how ${argv[0] ?? ''} ended`);
  }

  /**
   * Runs a command in a container just like it, without a network and with more folders of this machine in place of what it has there; the container is gone
   * afterwards.
   *
   * @param binds HOST:INSIDE:ro @returns null when there is none to be like
   */
  async runBeside(argv: readonly string[], binds: readonly string[], withinMs: number): Promise<EndedInside | null> {
    const like = await this.inspect();
    return like === null ? null : runOnce(this.api, besideOf(like, argv, binds), withinMs);
  }

  private get path(): string {
    return `/containers/${encodeURIComponent(this.name)}`;
  }

  private async inspect(): Promise<Inspected | null> {
    return this.api.find(`${this.path}/json`, inspected);
  }

  private async order(path: string, timeoutMs: number): Promise<void> {
    await this.api.raw('POST', path, timeoutMs);
  }
}

const idAnswer = z.looseObject({ Id: z.string() });
const exitAnswer = z.looseObject({ ExitCode: z.int().nullable() });
const waitAnswer = z.looseObject({ StatusCode: z.int() });
/** Runs a container to its end; it is gone afterwards. */
async function runOnce(api: EngineApi, made: unknown, withinMs: number): Promise<EndedInside> {
  const { Id: id } = await api.ask('/containers/create', made, idAnswer);
  try {
    await api.raw('POST', `/containers/${id}/start`, quickMs);
    const { StatusCode: code } = parsed(await api.raw('POST', `/containers/${id}/wait`, withinMs), waitAnswer);
    const said = await api.raw('GET', `/containers/${id}/logs?stdout=1&stderr=1`, quickMs);
    return { code, ...demultiplexed(said) };
  } finally {
    await api.raw('DELETE', `/containers/${id}?force=1&v=1`, stopMs);
  }
}

/**
 * Runs a command in a new container of an image, without a network and with folders of this machine for reading.
 *
 * @param binds HOST:INSIDE:ro @returns null when the image is not on this machine
 */
export async function runInImage(
  address: EngineAddress,
  { image, argv, binds }: { image: string; argv: readonly string[]; binds: readonly string[] },
  withinMs: number,
): Promise<EndedInside | null> {
  const api = new EngineApi(address);
  if ((await api.find(`/images/${image}/json`, z.looseObject({}))) === null) return null;
  const limits = { NetworkMode: 'none', ReadonlyRootfs: true, Tmpfs: { '/tmp': '' }, Binds: binds };
  return runOnce(api, { Image: image, Cmd: argv, NetworkDisabled: true, HostConfig: limits }, withinMs);
}

function besideOf({ Config, HostConfig }: Inspected, argv: readonly string[], binds: readonly string[]): unknown {
  return {
    Image: Config.Image,
    User: Config.User,
    Env: Config.Env,
    Cmd: argv,
    NetworkDisabled: true,
    HostConfig: {
      Binds: [...(HostConfig.Binds ?? []), ...binds],
      Mounts: HostConfig.Mounts,
      NetworkMode: 'none',
      ReadonlyRootfs: true,
      Tmpfs: { '/tmp': '' },
      CapAdd: HostConfig['CapAdd'],
      CapDrop: HostConfig['CapDrop'],
      SecurityOpt: HostConfig['SecurityOpt'],
    },
  };
}

/** Two streams in one: pieces of eight bytes of head, the number of the stream first and the length last, and so many bytes (the API's "Stream format"). */
export function demultiplexed(bytes: Buffer): Pick<EndedInside, 'out' | 'err'> {
  const pieces: Record<'out' | 'err', Buffer[]> = { out: [], err: [] };
  let at = 0;
  while (at + 8 <= bytes.length) {
    const length = bytes.readUInt32BE(at + 4);
    pieces[bytes[at] === 2 ? 'err' : 'out'].push(bytes.subarray(at + 8, at + 8 + length));
    at += 8 + length;
  }
  return { out: Buffer.concat(pieces.out).toString('utf8'), err: Buffer.concat(pieces.err).toString('utf8') };
}
