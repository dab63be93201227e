import wrapAnsi from 'wrap-ansi';
import { ownerText, type LedgerRow } from '../../core/inventory/ledger.ts';
import type { PassedOver, Proposal } from '../../core/survey/propose.ts';
import { withPort } from '../../core/networks/address.ts';
import { stateWords, type SurveyedService } from '../../core/survey/survey.ts';
import type { SurveyResult } from '../../use-cases/survey/survey.ts';
import { style, wrap, type Style } from './style.ts';
import { table } from './table.ts';

interface Look {
  width: number;
  colour: boolean;
}

export function formatSurvey({ survey, served, site }: SurveyResult, { width, colour }: Look): string {
  const paint = style(colour);
  const keys = new Map(site?.map.roads.map(({ name, key }) => [name, key]));
  const columns: Columns = { short: width < 110, paint, keys };
  const parts = survey.projects.map(({ machine, project, services }) => {
    const on = machine === null ? '' : ` on ${machine}`;
    const head = [`${project ?? 'in no project'}${on}`, 'state', 'listens on', 'road'].map((word) => paint.bold(word));
    return table(
      head,
      services.map((service) => row(service, columns)),
    );
  });
  const onHost = survey.hostPorts.filter(({ owner }) => owner !== null);
  if (onHost.length > 0) {
    const lines = onHost.map(({ road, port, owner }) => `  ${road} to :${String(port)}: ${owner ?? ''}\n`);
    parts.push(`${paint.bold('on this machine itself')}\n${lines.join('')}`);
  }
  if (survey.nowhere.length > 0) {
    const lines = survey.nowhere.map(({ road, to, why }) =>
      wrap(`${road} to ${to}: ${why}`, { width, first: '  ', indent: '    ' }),
    );
    parts.push(`${paint.bold('roads that lead nowhere')}\n${lines.join('')}`);
  }
  for (const { by, blocks, problem } of served) {
    if (problem !== null)
      parts.push(
        `${paint.bold(`not known: what the installed ${by} serves`)}\n${wrap(problem, { width, first: '  ', indent: '    ' })}`,
      );
    if (blocks.length === 0) continue;
    const lines = blocks.map(({ file, line, names }) =>
      wrap(`${servedWords(names)} in ${file}:${String(line)}`, { width, first: '  ', indent: '    ' }),
    );
    parts.push(
      `${paint.bold(`served by the installed ${by}, from files that Mile Marker did not write`)}\n${lines.join('')}`,
    );
  }
  return parts.join('\n');
}

/** `_` and no name at all stand for a server that answers whatever no other one does. */
function servedWords(names: readonly string[]): string {
  const real = names.filter((name) => name !== '_' && name !== '');
  return real.length === 0 ? 'has no name' : real.join(', ');
}

/** @property keys roads as the map writes them, for narrow terminals */
interface Columns {
  short: boolean;
  paint: Style;
  keys: ReadonlyMap<string, string>;
}

function row(service: SurveyedService, { short, paint, keys }: Columns): string[] {
  const { name, listens, roads, apart, running, inNoFile } = service;
  const state = `${stateWords(service)}${inNoFile ? ', not in your Compose files' : ''}`;
  const names = roads.map((road) => (short ? narrow(keys.get(road) ?? road, 16) : road));
  const leads =
    names.length > 0 ? names.join('\n') : apart === null ? 'none' : narrow(`none: ${apart}`, short ? 16 : 40);
  const said = short ? narrow(state, 15) : state;
  const painted = running ? said : paint.yellow(said);
  return [short ? narrow(name, 16) : name, painted, listens.length === 0 ? 'nowhere' : listensWords(listens), leads];
}

/** One line a port: where it listens inside, and where on this machine it is published. */
function listensWords(ports: SurveyedService['listens']): string {
  return [...new Set(ports.map(portWords))].join('\n');
}

function portWords({ inside, protocol, published, isOnHost, isSeen }: SurveyedService['listens'][number]): string {
  if (isOnHost) return `${inside === null ? 'somewhere' : String(inside)} on this machine itself`;
  const number = `${String(inside)}${protocol === 'udp' ? '/udp' : ''}`;
  const silent = isSeen === false ? ' (nothing listens)' : '';
  if (published === null) return `${number}${silent}`;
  const { address, port } = published;
  if (port === null) return `${number} on a port that changes at each start${silent}`;
  return `${number} on ${address === null ? `every address:${String(port)}` : withPort(address, port)}${silent}`;
}

function narrow(text: string, width: number): string {
  return wrapAnsi(text, width, { hard: true });
}

/** One line for everyone who has or wants a port; its number stands at the first. */
export function formatLedger(ledger: readonly LedgerRow[], { colour }: Pick<Look, 'colour'>): string {
  const paint = style(colour);
  // Only where there are several.
  const isMany = ledger.some(({ machine }) => machine !== null);
  const head = ['port', ...(isMany ? ['machine'] : []), 'address', 'who', 'known from'].map((word) => paint.bold(word));
  const rows = ledger.map(({ machine, port, protocol, address, owner, source }, index) => {
    const before = ledger[index - 1];
    const again = before?.port === port && before.protocol === protocol && before.machine === machine;
    const number = again ? '' : `${String(port)}${protocol === 'udp' ? '/udp' : ''}`;
    const on = isMany ? [again ? '' : (machine ?? 'this one')] : [];
    return [number, ...on, address ?? 'every address', ownerText(owner), source];
  });
  return table(head, rows);
}

/** As it would be on the map, or is now. */
export function proposalWords({ name, service, ports, wish }: Proposal, port = ports[0]): string {
  const rest = ports.filter((one) => one !== port);
  const others = rest.length > 0 ? ` (it also listens on ${rest.join(', ')})` : '';
  const wants = wish === null || wish === 'home' ? '' : `; its label asks for the gate ${wish}, which is yours to give`;
  return `${name} to ${service}:${String(port)}, gate home${others}${wants}`;
}

export function formatProposals(proposals: readonly Proposal[], { width, colour }: Look): string {
  const lines = proposals.map((one) => wrap(proposalWords(one), { width, first: '  ', indent: '    ' }));
  if (lines.length === 0) return 'Every service that could have a road has one.\n';
  return `${style(colour).bold('roads that could be added')}\n${lines.join('')}`;
}

export function formatPassedOver(passedOver: readonly PassedOver[], { width, colour }: Look): string {
  const left = passedOver.map(({ service, why }) => wrap(`${service}: ${why}`, { width, first: '  ', indent: '    ' }));
  return left.length === 0 ? '' : `\n${style(colour).bold('not offered')}\n${left.join('')}`;
}
