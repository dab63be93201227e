import { asksFor, checksOf } from '../gates/check.ts';
import { wordsAt, type DeviceState, type ServiceWord } from '../gates/kind.ts';
import { parseAddress } from '../networks/address.ts';
import { roadToAsk } from '../plan/wildcard-road.ts';
import type { PlannedPart, PlannedRoad } from '../plan/plan.ts';
import { decide } from '../verdict/decide.ts';
import { requestFrom, viewpoints, type Viewpoint } from '../verdict/exposure.ts';
import type { Prepared } from '../verdict/verdict.ts';
import { sayHeader } from './compare.ts';
import { upgradeTo, wordOf, type Sent } from './sent.ts';

/**
 * One request of a rehearsal.
 *
 * @property road as people read it; null for strangers and what is hostile
 * @property login whose password goes along; `wrong` for one that is nobody's
 */
export interface RehearsalCase {
  road: string | null;
  prefix: string | null;
  what: string;
  login: { name: string; right: boolean } | null;
  sent: Sent;
}

/**
 * All that a rehearsal plays: each part of each road with scheme, method, client, person, upgrade and odd targets; then strangers, and hostile input.
 *
 * @param people who stands in each password file, by its path @param devices names of those that count
 */
export function rehearsalCases(
  prepared: Prepared,
  people: ReadonlyMap<string, readonly string[]>,
  devices: readonly string[] = [],
): RehearsalCase[] {
  const from = viewpoints(prepared.plan, people, devices);
  return [
    ...prepared.plan.roads.flatMap((road) =>
      road.parts.flatMap((part) => casesOfPart({ prepared, from, part, road: roadToAsk(road, prepared.plan) })),
    ),
    ...strangers(prepared, from),
    ...hostile(prepared, from),
  ];
}

interface About {
  prepared: Prepared;
  from: readonly Viewpoint[];
  road: PlannedRoad;
  part: PlannedPart;
}

function casesOfPart(about: About): RehearsalCase[] {
  const { from, road, part } = about;
  const base = part.prefix === '/' ? '/' : `${part.prefix.replace(/\/$/, '')}/`;
  const of = (what: string, viewpoint: Viewpoint, more: Partial<Sent> = {}): RehearsalCase =>
    oneCase({ about, what, viewpoint, more: { target: base, ...more } });
  const [stranger] = from;
  if (stranger === undefined) return [];
  const insider = firstThatPasses(about) ?? from[1];
  const both = insider === undefined || insider === stranger ? [stranger] : [stranger, insider];
  const isService = part.leads.kind === 'service';
  return [
    ...from.map((viewpoint) => of(`GET ${base}`, viewpoint)),
    ...both.map((viewpoint) =>
      of(`http: GET ${base}?tide=high`, viewpoint, { listener: 'http', target: `${base}?tide=high` }),
    ),
    ...both.flatMap((viewpoint) =>
      ['HEAD', 'POST', 'DELETE', 'OPTIONS'].map((method) =>
        of(`${method} ${base}`, viewpoint, { method, ...(method === 'POST' ? helloBody : {}) }),
      ),
    ),
    ...both.flatMap((viewpoint) => oddTargets(base).map((target) => of(`GET ${target}`, viewpoint, { target }))),
    ...both.map((viewpoint) => of(`HTTP/2: GET ${base}`, viewpoint, { version: '2.0' })),
    ...both.map((viewpoint) =>
      of('with forged headers', viewpoint, {
        headers: [...forged, ...toldBy(road).map((name) => [name, 'forged'] as [string, string])],
      }),
    ),
    ...(isService ? from.map((viewpoint) => of('WebSocket', viewpoint, { headers: upgradeTo('websocket') })) : []),
    ...(asksFor(road.gate, 'people') ? both.map((viewpoint) => wrongPassword(of, viewpoint, base)) : []),
    ...(asksFor(road.gate, 'asks') ? both.flatMap((viewpoint) => oddWords(of, viewpoint, base)) : []),
    ...(asksFor(road.gate, 'devices') ? both.flatMap((viewpoint) => oddDevices(of, about, viewpoint, base)) : []),
    ...road.gate.parts.flatMap(({ except }) => except.map((target) => of(`GET ${target}`, stranger, { target }))),
    ...(road.rules.cors === null
      ? []
      : both.flatMap((viewpoint) =>
          preflights(road).map((headers) =>
            of(`preflight from ${headers[0]?.[1] ?? ''}`, viewpoint, { method: 'OPTIONS', headers }),
          ),
        )),
  ];
}

const helloBody: Partial<Sent> = { body: 'hello', headers: [['Content-Length', '5']] };

/** Targets that a front must pass on byte for byte, or refuse. */
function oddTargets(base: string): string[] {
  return [`${base}a%2Fb?x=1&y=%20`, `${base}/double//`, `${base}a/../b`, `${base}it's;v=1,2?`];
}

/** A gate that believes any of these is open to everybody; a service that does is lied to. The stand-in says what a front must not pass on. */
const forged: Array<[string, string]> = [
  ['X-Forwarded-For', '127.0.0.1'],
  ['X-Forwarded-Proto', 'http'],
  ['X-Forwarded-Host', 'evil.example'],
  ['X-Real-IP', '127.0.0.1'],
  ['Forwarded', 'for=127.0.0.1'],
  ['X_Forwarded_For', '127.0.0.1'],
  ['X-Remote-User', 'warden'],
  ['Remote-Device', 'phone'],
  ['Client-Cert', ':MIIB:'],
  ['X-SSL-Client-Verify', 'SUCCESS'],
  [sayHeader, JSON.stringify([['x-powered-by', 'tide']])],
];

function preflights({ rules }: PlannedRoad): Array<Array<[string, string]>> {
  const origins = [rules.cors?.origins[0] ?? '', 'https://evil.example'];
  return origins.map((origin) => [
    ['Origin', origin],
    ['Access-Control-Request-Method', 'POST'],
  ]);
}

/** What services tell of visitors whom they let in. */
function toldBy({ gate }: PlannedRoad): string[] {
  return [...new Set(checksOf(gate, 'asks').flatMap(({ tell }) => tell))];
}

/** What a service that is asked may say besides: to sign in elsewhere, to stay out, or nothing that anybody could use. */
function oddWords(
  of: (what: string, viewpoint: Viewpoint, more?: Partial<Sent>) => RehearsalCase,
  viewpoint: Viewpoint,
  base: string,
): RehearsalCase[] {
  const words: Array<[string, ServiceWord]> = [
    ['where its gate says to sign in elsewhere', { status: 302, location: 'https://sign-in.example/', told: {} }],
    ['where its gate says no', { status: 403, told: {} }],
    ['where the service that its gate asks fails', { status: 500, told: {} }],
    ['where the service that its gate asks is silent', { status: 0, told: {} }],
  ];
  return words.map(([what, word]) => of(`GET ${base} ${what}`, { ...viewpoint, word }));
}

/** Certificates that do not count, over both protocols; and a handshake for another name, which asked for none. */
function oddDevices(
  of: (what: string, viewpoint: Viewpoint, more?: Partial<Sent>) => RehearsalCase,
  { prepared: { plan }, road }: About,
  viewpoint: Viewpoint,
  base: string,
): RehearsalCase[] {
  const states: Array<[string, DeviceState]> = [
    ['with the certificate of a device that was removed', 'removed'],
    ['with a certificate that has ended', 'ended'],
    ['with a certificate of another authority', 'foreign'],
  ];
  const other = plan.roads.find(({ name, certificate }) => certificate === road.certificate && name !== road.name);
  return [
    ...states.flatMap(([what, state]) =>
      (['1.1', '2.0'] as const).map((version) =>
        of(
          `${version === '2.0' ? 'HTTP/2: ' : ''}GET ${base} ${what}`,
          { ...viewpoint, device: { state } },
          { version },
        ),
      ),
    ),
    ...(other === undefined
      ? []
      : [
          of(`handshake with ${other.display}, Host of ${road.display}`, viewpoint, {
            sni: roadToAsk(other, plan).name,
          }),
        ]),
  ];
}

function wrongPassword(
  of: (what: string, viewpoint: Viewpoint, more?: Partial<Sent>) => RehearsalCase,
  viewpoint: Viewpoint,
  base: string,
): RehearsalCase {
  const plain = of(
    `GET ${base} with a wrong password`,
    { ...viewpoint, person: null },
    { person: 'wrong', knownIn: [] },
  );
  return { ...plain, login: { name: 'nobody', right: false } };
}

/** Who is let through to the part, so that what lies behind the gate is played, too. */
function firstThatPasses({ prepared, from, road }: About): Viewpoint | undefined {
  return from.find((viewpoint) => {
    const verdict = decide(prepared, requestFrom(viewpoint, road, '/'));
    return verdict.act === 'forward' || verdict.act === 'folder' || verdict.because[0]?.step === 'leads';
  });
}

interface CaseInput {
  about: Pick<About, 'road'> & { part: PlannedPart | null };
  what: string;
  viewpoint: Viewpoint;
  more: Partial<Sent>;
}

function oneCase({ about: { road, part }, what, viewpoint, more }: CaseInput): RehearsalCase {
  const { peer, person, knownIn, label, device } = viewpoint;
  const said = wordFor(road, viewpoint);
  const { headers = [], ...others } = more;
  return {
    road: part === null ? null : road.display,
    prefix: part?.prefix ?? null,
    what: `${what}, ${person === null ? 'from' : 'as'} ${label === 'internet' ? 'the internet' : label}`,
    login: person === null ? null : { name: person, right: true },
    sent: {
      ...plain(road, peer),
      ...{ person: person ?? 'none', knownIn, ...(device === undefined ? {} : { device }) },
      ...others,
      headers: said === null ? headers : [...headers, wordOf(said)],
      ...(said === null ? {} : { words: wordsAt(road.gate, said) }),
    },
  };
}

/** What services say of somebody, with all that they can tell of whom they let in; who has signed in nowhere is to do so. Null where nobody is asked. */
function wordFor(road: PlannedRoad, { word = { status: 401, told: {} } }: Viewpoint): ServiceWord | null {
  if (!asksFor(road.gate, 'asks')) return null;
  const isPass = word.status >= 200 && word.status <= 299;
  return isPass ? { ...word, told: Object.fromEntries(toldBy(road).map((name) => [name, 'edda'])) } : word;
}

function plain(road: PlannedRoad, from: string): Sent {
  return {
    ...{ listener: 'https', sni: road.name, host: [road.authority], method: 'GET', target: '/', version: '1.1', from },
    ...{ headers: [], body: null, person: 'none', knownIn: [], overRate: false },
  };
}

/** Who knocks without a name that is on the map. */
function strangers({ plan }: Prepared, [stranger]: readonly Viewpoint[]): RehearsalCase[] {
  const road = plan.roads[0] === undefined ? null : roadToAsk(plan.roads[0], plan);
  const other = plan.roads.find(({ certificate }) => certificate !== road?.certificate);
  if (road === null || stranger === undefined) return [];
  const address = plan.front.addresses.find((one) => parseAddress(one) !== null) ?? '127.0.0.1';
  const of = (what: string, more: Partial<Sent>): RehearsalCase =>
    oneCase({ about: { road, part: null }, what, viewpoint: stranger, more });
  const unknown = 'nobody-knows-this.example';
  return [
    of('no name in the handshake', { sni: null }),
    of('unknown name', { sni: unknown, host: [unknown] }),
    of('http: unknown name', { listener: 'http', host: [unknown] }),
    of('http: the bare address', { listener: 'http', host: [address] }),
    of('handshake with a road, Host unknown', { host: [unknown] }),
    ...(other === undefined
      ? []
      : [of(`handshake with ${road.display}, Host of ${other.display}`, { host: [other.authority] })]),
    of('HTTP/1.0 without Host', { version: '1.0', host: [] }),
  ];
}

/** What no honest client sends: the front refuses it or passes it on as it is meant, and nothing of it gets past a gate. */
function hostile({ plan }: Prepared, [stranger]: readonly Viewpoint[]): RehearsalCase[] {
  if (stranger === undefined) return [];
  const seen = new Set<string>();
  // One road behind each gate says it for all of them.
  const roads = plan.roads
    .filter(({ gate, paused }) => !paused && !seen.has(gate.name) && seen.add(gate.name))
    .slice(0, 4);
  return roads.flatMap((one) => {
    const road = roadToAsk(one, plan);
    const [{ authority } = road] = [road];
    const rows: Array<[string, Partial<Sent>]> = [
      ...['/../x', '/%2e%2e/x', '/%zz', '/%00', '/caf\u00e9', '/a#b', '*', 'nothing'].map(
        (target): [string, Partial<Sent>] => [`target ${target}`, { target }],
      ),
      ['two Host lines', { host: [authority, authority] }],
      ['a Host with a blank', { host: ['a b'] }],
      ['absolute target of a stranger', { target: 'http://evil.example/' }],
      ['TRACE', { method: 'TRACE' }],
      ['CONNECT', { method: 'CONNECT' }],
      ['a method in small letters', { method: 'get' }],
      ['upgrade to h2c', { headers: upgradeTo('h2c') }],
      [
        'a body with two lengths',
        {
          method: 'POST',
          body: '0\r\n\r\n',
          headers: [
            ['Content-Length', '4'],
            ['Transfer-Encoding', 'chunked'],
          ],
        },
      ],
      [
        'two lines of Authorization',
        {
          headers: [
            ['Authorization', 'Bearer one'],
            ['Authorization', 'Bearer two'],
          ],
        },
      ],
      ['a target of 9000 bytes', { target: `/${'a'.repeat(9000)}` }],
    ];
    return rows.map(([what, more]) =>
      oneCase({ about: { road, part: null }, what: `${road.display}: ${what}`, viewpoint: stranger, more }),
    );
  });
}
