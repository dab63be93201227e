import type { LedgerRow } from '../../core/inventory/ledger.ts';
import { withPort } from '../../core/networks/address.ts';
import type { PassedOver, Proposal } from '../../core/survey/propose.ts';
import type { SurveyedService } from '../../core/survey/survey.ts';
import type { SurveyResult } from '../../use-cases/survey.ts';
import { style, wrap, type Style } from './style.ts';
import { table } from './table.ts';

interface Look {
  width: number;
  colour: boolean;
}

export function formatSurvey({ survey, served }: SurveyResult, { width, colour }: Look): string {
  const paint = style(colour);
  const parts = survey.projects.map(({ project, services }) => {
    const head = [project ?? 'outside every project', 'state', 'listens on', 'road'].map((word) => paint.bold(word));
    return table(
      head,
      services.map((service) => row(service, width, paint)),
    );
  });
  if (survey.nowhere.length > 0) {
    const lines = survey.nowhere.map(({ road, to, why }) =>
      wrap(`${road} to ${to}: ${why}`, { width, first: '  ', indent: '    ' }),
    );
    parts.push(`${paint.bold('roads that lead nowhere')}\n${lines.join('')}`);
  }
  if (served.blocks.length > 0) {
    const lines = served.blocks.map(({ file, line, names }) =>
      wrap(`${names.join(', ') || 'no name'} in ${file}:${String(line)}`, { width, first: '  ', indent: '    ' }),
    );
    parts.push(`${paint.bold('served by the installed nginx, from files that are not ours')}\n${lines.join('')}`);
  }
  return parts.join('\n');
}

function row({ name, state, listens, roads, apart }: SurveyedService, width: number, paint: Style): string[] {
  const short = width < 100;
  const leads = roads.length > 0 ? roads.join('\n') : apart === null ? '-' : wrapped(`none: ${apart}`, short ? 22 : 40);
  const said = short ? wrapped(state, 16) : state;
  const runs = state.startsWith('running');
  return [name, runs ? said : paint.yellow(said), listens.length === 0 ? '-' : listens.join('\n'), leads];
}

function wrapped(text: string, width: number): string {
  return wrap(text, { width }).trimEnd();
}

export function formatLedger(ledger: readonly LedgerRow[], { colour }: Pick<Look, 'colour'>): string {
  const paint = style(colour);
  const head = ['port', 'address', 'who', 'known from'].map((word) => paint.bold(word));
  return table(
    head,
    ledger.map(({ port, protocol, address, owner, source }) => [
      `${String(port)}${protocol === 'udp' ? '/udp' : ''}`,
      address === null ? 'every address' : withPort(address, port).replace(/:\d+$/, ''),
      owner,
      source,
    ]),
  );
}

export function formatProposals(
  proposals: readonly Proposal[],
  passedOver: readonly PassedOver[],
  { width, colour }: Look,
): string {
  const paint = style(colour);
  const lines = proposals.map(({ name, service, ports, wish }) => {
    const others = ports.length > 1 ? ` (it also listens on ${ports.slice(1).join(', ')})` : '';
    const wants =
      wish === null || wish === 'home' ? '' : `; its label asks for the gate ${wish}, which is yours to give`;
    return wrap(`${name} to ${service}:${String(ports[0])}, gate home${others}${wants}`, {
      width,
      first: '  ',
      indent: '    ',
    });
  });
  const left = passedOver.map(({ service, why }) => wrap(`${service}: ${why}`, { width, first: '  ', indent: '    ' }));
  const offered =
    lines.length === 0
      ? 'Every service that could have a road has one.\n'
      : `${paint.bold('roads that could be added')}\n${lines.join('')}`;
  return left.length === 0 ? offered : `${offered}\n${paint.bold('not offered')}\n${left.join('')}`;
}
