import { proxyNames } from '../../src/core/proxies/names.ts';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { FourServers, keeper, startWords } from './four-servers.ts';
import type { ProxyName } from './fronts.ts';
import type { Ran } from './program.ts';

/**
 * What is expected of a real front, whatever is done to it. The model knows what visitors get and what was confirmed; everything else is compared: what
 * the tool says with what curl sees, files of others with what they were, and all that a look leaves with what it found.
 */

/** @property n the state of the map of which an edition was made @property isPaused the road `log` is paused in it */
interface Served {
  proxy: ProxyName;
  n: number;
  isPaused: boolean;
}

/** @property stood what was confirmed before, the newest last @property isUp the server of what is live runs */
export interface Model {
  n: number;
  isPaused: boolean;
  proxy: ProxyName;
  live: Served | null;
  stood: Served[];
  isUp: boolean;
  /** The include file was removed by hand: a start from the disk serves nothing of ours. */
  isUnread: boolean;
  /** A change was interrupted. */
  isCut: boolean;
  /** What was live when the state folder was copied; undefined where it was not. */
  copy: { live: Served | null; stood: Served[] } | undefined;
  /** The front runs what the folder has not. */
  isForeign: boolean;
}

export const emptyModel = (): Model => ({
  ...{ n: 1, isPaused: false, proxy: 'builtin', live: null, stood: [], isUp: false, isUnread: false, isCut: false },
  copy: undefined,
  isForeign: false,
});

const names: Record<ProxyName, string> = {
  // Not the shell that asks for it.
  builtin: "-f '[s]erve --written'",
  nginx: '-x nginx',
  httpd: '-x apache2',
  haproxy: '-x haproxy',
};

/** The machine, and what was seen there last. */
export class RealFront {
  steps = 0;
  private constructor(
    readonly machine: FourServers,
    private foreign: string,
  ) {}

  static async start(model: Model): Promise<RealFront> {
    const machine = await FourServers.start();
    const front = new RealFront(machine, '');
    front.say(model);
    await machine.sh(`chown -R ${String(keeper)}:${String(keeper)} ${machine.site}`);
    await machine.run(['certs', 'make'], { uid: keeper });
    front.foreign = await front.foreignFiles();
    return front;
  }

  say({ n, isPaused, proxy }: Model): void {
    const road = (port: number): string =>
      `to: ":${String(port)}", gate: everyone, response-headers: {X-State: "s${String(n)}"}`;
    writeFileSync(
      this.machine.map,
      `domains: [saltmarsh.example]
front: {address: 127.0.0.1, proxy: ${proxy}, home-networks: [127.0.0.0/8]}
engine: none
roads:
  log: {${road(9001)}${isPaused ? ', paused: true' : ''}}
  tides: {${road(9002)}}
`,
    );
  }

  /** Runs the program with little patience. */
  run(argv: string[], more: { cwd?: string; env?: Record<string, string>; uid?: number } = {}): Promise<Ran> {
    const map = more.cwd === undefined ? [] : ['--map', this.machine.map];
    const env = { MILE_MARKER_PATIENCE: '3', ...more.env };
    return this.machine.run([...argv, ...map], { ...more, env });
  }

  /** For a moment after a reload some connections still go to what ran before: what comes three times in a row is what is served. */
  async seen(): Promise<[string, string]> {
    const once = async (): Promise<[string, string]> => [
      await this.machine.ask('log'),
      await this.machine.ask('tides'),
    ];
    let last = await once();
    for (let [same, left] = [0, 20]; same < 2 && left > 0; left -= 1) {
      const next = await once();
      same = next.join() === last.join() ? same + 1 : 0;
      last = next;
    }
    return last;
  }

  signal(proxy: ProxyName, signal: string): Promise<Ran> {
    return this.machine.sh(`pkill -${signal} ${names[proxy]}; true`);
  }

  async startItself(proxy: ProxyName): Promise<void> {
    await this.machine.sh(startWords[proxy](this.machine.map));
  }

  /** Bytes, rights and times of all files of others; ours and what is switched off are left out. */
  async foreignFiles(): Promise<string> {
    const all = 'cd /etc && find nginx apache2 haproxy default -type f -o -type l | grep -v mile-marker | sort';
    const { out } = await this.machine.sh(
      `${all} | xargs grep -L 'Switched off by' > /tmp/own-files; xargs stat -c '%n %a %U %Y %h' < /tmp/own-files; xargs sha256sum < /tmp/own-files`,
    );
    return out;
  }

  /** All that is kept beside the map, but for what a look is meant to keep. */
  async kept(): Promise<string> {
    const but = '-not -name verify.jsonl -not -name newest-run.json -not -name serve.log';
    const { out } = await this.machine.sh(
      `cd ${this.machine.site} && find .mile-marker ${but} -type f | sort | xargs sha256sum; find .mile-marker -type l | sort | xargs ls -l | cut -d' ' -f1,9-`,
    );
    return out;
  }

  /** What holds after every step. */
  async holds(model: Model): Promise<void> {
    this.steps += 1;
    const [log, tides] = await this.seen();
    expect({ log, tides }).toEqual(expectedOf(model));
    const others = await this.foreignFiles();
    // What is switched off is left out while it is.
    for (const line of others.split('\n')) expect(this.foreign).toContain(line);
    if (!model.isCut && !model.isForeign) await this.saysSo(model, tides);
  }

  /** What the tool says is what curl sees. */
  private async saysSo(model: Model, tides: string): Promise<void> {
    const { out } = await this.run(['editions', '--json']);
    const { editions } = JSON.parse(out === '' ? '{"editions":[]}' : out) as {
      editions: Array<{ number: number; outcome: string }>;
    };
    const live = editions.find(({ outcome }) => outcome === 'live' || outcome === 'not-tested');
    const confirmed = live ?? editions.find(({ outcome }) => outcome === 'silent');
    const state = confirmed === undefined ? null : await this.stateOf(confirmed.number);
    expect({ said: state, isAnswering: live !== undefined && model.isUp }).toEqual({
      said: model.live === null ? null : `s${String(model.live.n)}`,
      isAnswering: tides !== 'nobody',
    });
  }

  private async stateOf(edition: number): Promise<string> {
    const file = join('.mile-marker/front/editions', String(edition).padStart(4, '0'), 'plan.json');
    const { out } = await this.machine.sh(`grep -o '"s[0-9]*"' ${file} | head -1`);
    return out.trim().replaceAll('"', '');
  }
}

export function expectedOf({ live, isUp }: Model): { log: string; tides: string } {
  if (live === null || !isUp) return { log: 'nobody', tides: 'nobody' };
  const state = `s${String(live.n)}`;
  return { log: `${live.isPaused ? '503' : '200'} ${state}`, tides: `200 ${state}` };
}

type Step = fc.AsyncCommand<Model, RealFront>;

/** A step with the check that follows each. */
function step(
  name: string,
  {
    may = () => true,
    run,
  }: { may?: (model: Readonly<Model>) => boolean; run: (model: Model, real: RealFront) => Promise<void> },
): Step {
  return {
    check: may,
    run: async (model, real) => {
      if (process.env['MODEL_TALKS'] !== undefined) process.stderr.write(`${name} ${JSON.stringify(model)}\n`);
      await run(model, real);
      await real.holds(model).catch((error: unknown) => {
        throw new Error(
          `after ${name}: ${error instanceof Error ? error.message : String(error)}\n${JSON.stringify(model)}`,
        );
      });
    },
    toString: () => name,
  };
}

function becomesLive(model: Model, served: Served): void {
  const { live, stood } = model;
  // What is live already makes no new edition.
  const isSame = JSON.stringify(live) === JSON.stringify(served);
  if (live !== null && !isSame) model.stood = [...stood, live];
  Object.assign(model, { live: served, isUp: true, isUnread: false, isCut: false, isForeign: false });
}

/** What a change that was cut short leaves, once another one has ended it. */
async function settle(model: Model, real: RealFront): Promise<void> {
  if (!model.isCut) return;
  await real.run(['certs', 'make']);
  const [, tides] = await real.seen();
  const isNew = tides === `200 s${String(model.n)}` && model.live?.n !== model.n;
  if (isNew) becomesLive(model, { proxy: model.proxy, n: model.n, isPaused: model.isPaused });
  model.isCut = false;
}

const replaceFor = (model: Model): string[] =>
  model.live?.proxy === 'httpd' && model.proxy !== 'httpd' ? ['--replace', '/etc/apache2/ports.conf'] : [];

const installWords = (model: Model): string[] => ['install', '--yes', '--no-rehearsal', ...replaceFor(model)];

/** Installs, and takes the outcome at its word: what it says is held against what is seen. */
async function install(model: Model, real: RealFront, more: Parameters<RealFront['run']>[1] = {}): Promise<Ran> {
  const ran = await real.run(installWords(model), more);
  const wanted = { proxy: model.proxy, n: model.n, isPaused: model.isPaused };
  if (ran.code === 0) becomesLive(model, wanted);
  return ran;
}

const folders = [undefined, '/', '/srv'];

export const steps: Array<fc.Arbitrary<Step>> = [
  fc.constant(
    step('edit', {
      run: (model, real) => {
        model.n += 1;
        real.say(model);
        return Promise.resolve();
      },
    }),
  ),
  fc.tuple(fc.constantFrom(...folders), fc.constantFrom(...proxyNames)).map(([cwd, proxy]) =>
    step(`install ${proxy} from ${cwd ?? 'the folder'}`, {
      run: async (model, real) => {
        await settle(model, real);
        model.proxy = proxy;
        real.say(model);
        const ran = await install(model, real, cwd === undefined ? {} : { cwd });
        if (ran.code !== 0) throw new Error(`install said ${String(ran.code)}: ${ran.out}${ran.err}`);
      },
    }),
  ),
  fc.constant(
    step('install as the owner', {
      may: ({ live, isCut }) => live?.proxy === 'builtin' && !isCut,
      run: async (model, real) => {
        model.proxy = 'builtin';
        real.say(model);
        await install(model, real, { uid: keeper });
      },
    }),
  ),
  fc.constant(
    step('undo', {
      may: ({ live, isCut, isForeign, isUnread }) => live !== null && !isCut && !isForeign && !isUnread,
      run: async (model, real) => {
        const ran = await real.run(['undo', 'front', '--yes']);
        const before = model.stood.at(-1) ?? null;
        // A line that a person wrote is that person's to remove.
        if (ran.code !== 0 && before === null && /Remove it yourself/.test(ran.err)) return;
        if (ran.code !== 0) throw new Error(`undo said ${String(ran.code)}: ${ran.err}`);
        model.stood = model.stood.slice(0, -1);
        model.live = before;
        model.isUp = before !== null;
      },
    }),
  ),
  fc.constant(
    step('pause', {
      may: ({ live, isPaused, isUp, isCut, isForeign, isUnread }) =>
        live !== null && !isPaused && isUp && !isCut && !isForeign && !isUnread,
      run: async (model, real) => {
        model.isPaused = true;
        const ran = await real.run(['pause', 'log']);
        if (ran.code !== 0) throw new Error(`pause said ${String(ran.code)}: ${ran.out}${ran.err}`);
        // On the edition that runs, alone, whatever else the map has.
        if (model.live !== null) becomesLive(model, { ...model.live, isPaused: true });
      },
    }),
  ),
  fc.constant(
    step('resume', {
      may: ({ live, isPaused, isUp, isCut, isForeign, isUnread }) =>
        live !== null && isPaused && isUp && !isCut && !isForeign && !isUnread,
      run: async (model, real) => {
        const isAlone = model.live?.n === model.n && model.live.proxy === model.proxy && model.live.isPaused;
        model.isPaused = false;
        const ran = await real.run(['resume', 'log']);
        expect([isAlone, ran.code]).toEqual([isAlone, isAlone ? 0 : 1]);
        if (isAlone && model.live !== null) becomesLive(model, { ...model.live, isPaused: false });
      },
    }),
  ),
  fc
    .constantFrom('check', 'roads', 'editions', 'verify', 'check --installed', 'explain log', 'install --dry-run')
    .map((look) =>
      step(`look: ${look}`, {
        run: async (_, real) => {
          const before = await real.kept();
          await real.run(look.split(' '));
          expect(await real.kept()).toBe(before);
        },
      }),
    ),
  fc.tuple(fc.integer({ min: 1, max: 70 }), fc.constantFrom('kill', 'ENOSPC', 'EROFS')).map(([at, fault]) =>
    step(`install meets ${fault} at change ${String(at)}`, {
      may: ({ isCut, isForeign }) => !isCut && !isForeign,
      run: async (model, real) => {
        model.n += 1;
        real.say(model);
        const before = { ...model };
        const env = { NODE_OPTIONS: `--import ${join(__dirname, 'faults.mjs')}`, FAULT: fault, FAULT_AT: String(at) };
        const ran = await install(model, real, { env });
        if (ran.code === 0) return;
        const [log, tides] = await real.seen();
        const isMove = model.live !== null && model.live.proxy !== model.proxy;
        const isWhole = [
          expectedOf(before),
          expectedOf({ ...before, isUp: true, live: { ...model, proxy: model.proxy } }),
        ]
          .map((one) => JSON.stringify(one))
          .includes(JSON.stringify({ log, tides }));
        // Between two fronts there is a moment without any, and whoever is killed in it cannot help that.
        if (!isWhole && !(isMove && tides === 'nobody'))
          throw new Error(`half an edition: ${log}, ${tides}: ${ran.err}`);
        model.isCut = true;
        const kept = await real.kept();
        await real.run(['check']);
        expect(await real.kept()).toBe(kept);
        await settle(model, real);
        if (before.live !== null && before.isUp && model.live === before.live) model.isUp = true;
      },
    }),
  ),
  fc.constant(
    step('the server ends', {
      may: ({ live, isUp, isForeign }) => live !== null && isUp && !isForeign,
      run: async (model, real) => {
        if (model.live !== null) await real.signal(model.live.proxy, 'KILL');
        model.isUp = false;
      },
    }),
  ),
  fc.constant(
    step('it is started by its own means', {
      may: ({ live, isUp, isCut, isUnread }) => live !== null && !isUp && !isCut && !isUnread,
      run: async (model, real) => {
        if (model.live !== null) await real.startItself(model.live.proxy);
        model.isUp = true;
      },
    }),
  ),
  fc.constant(
    step('power loss', {
      may: ({ live, isCut, isUnread, isForeign }) => live !== null && !isCut && !isUnread && !isForeign,
      run: async (model, real) => {
        for (const proxy of Object.keys(names) as ProxyName[]) await real.signal(proxy, 'KILL');
        await real.machine.sh('rm -f /run/*.pid /run/apache2/*.pid');
        if (model.live !== null) await real.startItself(model.live.proxy);
        model.isUp = true;
      },
    }),
  ),
  fc.constant(
    step('install while the server hangs', {
      may: ({ live, isUp, isCut, isForeign }) => live !== null && isUp && !isCut && !isForeign,
      run: async (model, real) => {
        const { live } = model;
        if (live === null) return;
        model.n += 1;
        model.proxy = live.proxy;
        real.say(model);
        await real.signal(live.proxy, 'STOP');
        const ran = await real.run(installWords(model));
        await real.signal(live.proxy, 'CONT');
        expect(ran.code).not.toBe(0);
        // What it was told meanwhile it takes up now: the same again.
        await real.machine.sh('sleep 0.5');
      },
    }),
  ),
  fc.constant(
    step('the include file is removed by hand', {
      may: ({ live, isUp, isCut, isForeign }) =>
        (live?.proxy === 'nginx' || live?.proxy === 'httpd') && isUp && !isCut && !isForeign,
      run: async (model, real) => {
        await real.machine.sh('rm -f /etc/nginx/conf.d/mile-marker.conf /etc/apache2/conf-enabled/mile-marker.conf');
        model.isUnread = true;
        model.proxy = model.live?.proxy ?? model.proxy;
        real.say(model);
        const { out } = await real.run(['check', '--installed']);
        expect(out).toContain('front-not-read');
        expect((await real.run(['check'])).err).not.toContain('Nothing needs doing');
      },
    }),
  ),
  fc.constant(
    step('the state folder is copied', {
      may: ({ live, isCut, isForeign }) => live !== null && !isCut && !isForeign,
      run: async (model, real) => {
        await real.machine.sh(
          'rm -rf /srv-copy; mkdir -p ../copy && rm -rf ../copy/* ../copy/.mile-marker && cp -a .mile-marker ../copy/',
        );
        model.copy = { live: model.live, stood: model.stood };
      },
    }),
  ),
  fc.constant(
    step('the state folder is restored from its copy, and the map goes live', {
      may: ({ copy, isUp, isCut, live, isUnread }) =>
        // What is switched off for a move is kept in the folder, and its copy knows nothing of a later one.
        copy?.live?.proxy === live?.proxy && live !== null && isUp && !isCut && !isUnread,
      run: async (model, real) => {
        const { out: mark } = await real.machine.sh('curl -s 127.0.0.1:29180/mark');
        const was = model.live;
        await real.machine.sh(
          'cp .mile-marker/serve.json ../serve.json 2>/dev/null; rm -rf .mile-marker && cp -a ../copy/.mile-marker . ; cp -p ../serve.json .mile-marker/serve.json 2>/dev/null; true',
        );
        // The map stays on the proxy that runs: what the copy says of another one is long past.
        model.n += 1;
        model.proxy = was?.proxy ?? model.proxy;
        real.say(model);
        const ran = await real.run(installWords({ ...model, live: null }));
        if (ran.code !== 0) throw new Error(`install said ${String(ran.code)}: ${ran.out}${ran.err}`);
        const { out: now } = await real.machine.sh('curl -s 127.0.0.1:29180/mark');
        const number = (text: string): number => Number(/edition (\d+)/.exec(text)?.[1] ?? 0);
        // A number never comes twice, whatever the copy knows.
        expect(number(now)).toBeGreaterThan(number(mark));
        // What stood before is what the copy knows.
        Object.assign(model, model.copy);
        becomesLive(model, { proxy: model.proxy, n: model.n, isPaused: model.isPaused });
        model.copy = undefined;
      },
    }),
  ),
];
