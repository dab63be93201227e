import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Trouble } from '../trouble.ts';

/**
 * Where the container engine answers its HTTP API.
 *
 * @property chosen a person named it (map or environment): when it does not answer, that is an error
 */
export type EngineAddress = { shown: string; chosen: boolean } & (
  | { kind: 'socket'; path: string }
  | { kind: 'tcp'; host: string; port: number; tls: Keys | null }
  | { kind: 'ssh'; destination: string; port: string | null; socket: string }
);

interface Keys {
  ca: Buffer;
  cert: Buffer;
  key: Buffer;
}

type Env = Readonly<Record<string, string | undefined>>;

/**
 * The engine that the map names, else DOCKER_HOST, else the usual socket if it is there.
 *
 * @returns null when there is none, or the map or the environment says `none`
 * @throws Trouble `engine-address` for an address that cannot be used
 */
export function engineAddress(written: string | null, env: Env): EngineAddress | null {
  const named = written ?? env['DOCKER_HOST'] ?? '';
  if (named === 'none') return null;
  if (named !== '') return parse(named, env);
  const usual = ['/var/run/docker.sock', join(env['XDG_RUNTIME_DIR'] ?? '/nonexistent', 'docker.sock')];
  const path = usual.find((one) => existsSync(one));
  return path === undefined ? null : { kind: 'socket', path, shown: `unix://${path}`, chosen: false };
}

/**
 * The engine of another machine, as the map has it. One behind a socket of this machine is not this machine's own all the same.
 *
 * @param keys absolute path of the folder with ca.pem, cert.pem and key.pem, or null
 * @throws Trouble `engine-address`
 */
export function machineAddress(written: string, keys: string | null): EngineAddress {
  const ssh = /^ssh:\/\/((?:[^@/]+@)?(?:\[[^\]]+\]|[^:/]+))(?::(\d+))?(\/.*)?$/.exec(written);
  if (ssh !== null) {
    const [, destination = '', port = null, socket = '/var/run/docker.sock'] = ssh;
    return { kind: 'ssh', destination, port, socket, shown: written, chosen: true };
  }
  return parse(written, keys === null ? {} : { DOCKER_TLS_VERIFY: '1', DOCKER_CERT_PATH: keys });
}

function parse(named: string, env: Env): EngineAddress {
  if (named.startsWith('unix://')) {
    return { kind: 'socket', path: named.slice('unix://'.length), shown: named, chosen: true };
  }
  const match = /^(tcp|https?):\/\/([^/]+?)(?::(\d+))?\/*$/.exec(named);
  if (match === null) throw unusable(named);
  const [, scheme, host = '', digits] = match;
  const withTls = scheme === 'https' || (scheme === 'tcp' && (env['DOCKER_TLS_VERIFY'] ?? '') !== '');
  const port = Number(digits ?? (withTls ? 2376 : 2375));
  const tls = withTls ? readTls(env) : null;
  return { kind: 'tcp', host: host.replace(/^\[|\]$/g, ''), port, tls, shown: named, chosen: true };
}

/** `ca.pem`, `cert.pem` and `key.pem` of DOCKER_CERT_PATH: the engine knows its clients by certificate. */
function readTls(env: Env): Keys {
  const folder = env['DOCKER_CERT_PATH'] ?? join(env['HOME'] ?? '', '.docker');
  try {
    const [ca, cert, key] = ['ca.pem', 'cert.pem', 'key.pem'].map((name) => readFileSync(join(folder, name)));
    return { ca, cert, key } as Keys;
  } catch (cause) {
    throw new Trouble({
      code: 'engine-address',
      message: `The engine needs TLS, but ${folder} has no ca.pem, cert.pem and key.pem.`,
      remedy:
        'Put them there, readable for you. For a machine of the map the folder is its `keys`, else DOCKER_CERT_PATH.',
      cause,
    });
  }
}

function unusable(named: string): Trouble {
  return new Trouble({
    code: 'engine-address',
    message: `The container engine cannot be asked at ${named}.`,
    remedy: 'Write unix:///PATH or tcp://HOST:PORT. For an engine on another machine, forward its socket to this one.',
  });
}
