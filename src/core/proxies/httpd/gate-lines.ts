import { type GatePart, type NetworksCheck, checkOf, filesOf } from '../../gates/check.ts';
import { linesOf, type CheckTable } from '../../gates/kinds.ts';
import { isWildcard } from '../../names/wildcard.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { longestCredentials } from '../../front-limits.ts';
import { escapePattern } from '../pattern.ts';
import { isDevice } from './devices.ts';
import { comment, quote, rewrite, section } from './quote.ts';
import { isIn } from './visitor.ts';

/** Conditions for a target at or below a prefix, in normal form. */
export function below(prefix: string): Array<[string, string]> {
  return [
    ['%{ENV:mm_normal}', '=1'],
    ['%{ENV:mm_path}', `^${escapePattern(prefix)}${prefix.endsWith('/') ? '' : '(?:/|$)'}`],
  ];
}

/** Which parts of the gate let a target pass ungated, known before any of them is asked. */
export function exceptionLines({ gate }: PlannedRoad): string[] {
  return gate.parts.flatMap(({ except }, index) =>
    except.flatMap((prefix) => rewrite(below(prefix), '-', `E=${openName(index)}:1`)),
  );
}

/** All parts must agree; httpd answers 403 where no password would help, and 401 where one may (mod_authz_core). */
export function gateLines(plan: Plan, road: PlannedRoad): string[] {
  const { parts } = road.gate;
  if (parts.length === 0) return ['Require all granted'];
  const files = filesOf(road.gate);
  return [
    ...(files[0] === undefined ? [] : askLines(road, files[0])),
    ...section('RequireAny', '', [
      'Require env mm_own',
      ...section('RequireAll', '', [
        // It asks for one file of people; `check` says so before anything is written.
        ...(files.length > 1 ? ['Require all denied'] : []),
        ...parts.flatMap((part, index) => [comment(`Gate: ${part.name}.`), ...partLines(plan, parts, part, index)]),
      ]),
    ]),
  ];
}

const soundBasic = `basic +[A-Za-z0-9+/]{1,${String(longestCredentials)}}={0,2} *`;
const openName = (index: number): string => `mm_open${String(index)}`;

function askLines({ name }: PlannedRoad, file: string): string[] {
  return [
    'AuthType Basic',
    // It is a format: the road of all other names is called by the one that was asked for.
    `AuthName ${isWildcard(name) ? '"%{SERVER_NAME}"' : quote(name)}`,
    'AuthBasicProvider file',
    comment('No password prompt for people who logged in correctly, but may not pass from here.'),
    'AuthzSendForbiddenOnFailure On',
    `AuthUserFile ${quote(file)}`,
    comment('Checks only base64 of a sensible length as a password (RFC 7617 sets no limit).'),
    ...section('If', `"req_novary('Authorization') !~ m#^(?:(?!basic(?: |$)).*|${soundBasic})$#i"`, [
      'AuthUserFile /dev/null',
    ]),
  ];
}

/** What httpd must find true for each kind of check. */
export const requirements: CheckTable<Plan> = {
  networks: nearLines,
  devices: (check) => [`Require expr "${isDevice(check)}"`],
  people: () => ['Require valid-user'],
  // It has no way to ask over HTTP.
  asks: null,
};

function partLines(plan: Plan, parts: readonly GatePart[], part: GatePart, index: number): string[] {
  const { checks, except, need } = part;
  const open = except.length === 0 ? [] : [`Require env ${openName(index)}`];
  if (checks.length > 1 && need === 'any')
    return section('RequireAny', '', [
      ...open,
      ...checks.flatMap((check) => linesOf(requirements, check, plan, ['Require all denied'])),
    ]);
  const asked = parts
    .slice(0, index)
    .flatMap((one, at) => (checkOf(one, 'people') === null ? [] : [asks(plan, one, at)]));
  // Whom an earlier part asks for a password gets to hear of this one when he has said it.
  const later =
    asked.length === 0
      ? []
      : section('RequireAll', '', [
          `Require expr "${asked.join(' || ')}"`,
          ...section('RequireNone', '', ['Require valid-user']),
        ]);
  return checks.flatMap((check) => {
    const own = linesOf(requirements, check, plan, ['Require all denied']);
    const others = check.kind === 'people' ? open : [...open, ...later];
    return check.kind === 'people' && others.length === 0 ? own : section('RequireAny', '', [...others, ...own]);
  });
}

function nearLines({ networks, except }: NetworksCheck, { front: { edge } }: Plan): string[] {
  const inside = inLines(networks);
  const outside = [...inLines(except), ...(edge === null ? [] : ['Require env mm_unknown'])];
  if (outside.length === 0) return inside;
  return section('RequireAll', '', [...section('RequireAny', '', inside), ...section('RequireNone', '', outside)]);
}

function inLines(networks: readonly string[]): string[] {
  return networks.map((network) => `Require ip ${network}`);
}

/** An expression for whether a part can be passed with a password alone. */
function asks({ front: { edge } }: Plan, part: GatePart, index: number): string {
  const { except, need } = part;
  const networks = checkOf(part, 'networks');
  const known = edge === null ? '' : ' && -z %{env:mm_unknown}';
  const far =
    networks === null || need === 'all'
      ? []
      : [
          `!((${isIn(networks.networks)})${networks.except.length === 0 ? '' : ` && !(${isIn(networks.except)})`}${known})`,
        ];
  const devices = checkOf(part, 'devices');
  const unknown = devices === null || need === 'all' ? [] : [`!(${isDevice(devices)})`];
  const gated = except.length === 0 ? [] : [`-z %{env:${openName(index)}}`];
  const all = [...gated, ...far, ...unknown];
  return all.length === 0 ? 'true' : `(${all.join(' && ')})`;
}
