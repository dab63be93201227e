import { editionsIn, readCurrent, readFrontJournal } from '../../adapters/files/editions.ts';
import { findMap, shownPath } from '../../adapters/files/find-map.ts';
import { statePaths } from '../../adapters/files/state-folder.ts';
import { becameOf, type Became, type Outcome } from '../../core/live/front-journal.ts';
import { editionNumber } from '../../core/proxies/edition.ts';
import type { CommandContext } from '../io.ts';
import { jsonDocument } from '../print/json.ts';
import { table } from '../print/table.ts';

interface Options {
  map?: string;
  json?: boolean;
}

const words: Record<Outcome, string> = {
  written: 'written',
  live: 'live',
  confirmed: 'was live',
  'not-tested': 'live, not tested',
  returned: 'taken back',
  refused: 'refused by the proxy',
  unfinished: 'cut short',
};

/** Every edition that is there, the newest last, and what became of it. */
export async function runEditions({ map, json }: Options, { io }: CommandContext): Promise<void> {
  const mapFile = await findMap({ option: map, cwd: io.cwd, env: io.env });
  io.err(`map: ${shownPath(mapFile, io.cwd)}\n`);
  const { front } = statePaths(mapFile);
  const current = (await readCurrent(front))?.number ?? null;
  const entries = await readFrontJournal(front);
  const editions = (await editionsIn(front)).map((number) => ({ number, ...becameOf(entries, number, current) }));
  if (json === true) {
    io.out(jsonDocument('editions', { map: mapFile, current, editions }));
    return;
  }
  if (editions.length === 0) {
    io.err('No edition was written yet.\nnext: mile-marker install\n');
    return;
  }
  io.out(table(['edition', 'time (UTC)', 'outcome'], editions.map(row)));
  io.err('next: to go back to one: mile-marker undo front EDITION\n');
}

function row({ number, at, outcome, why }: Became & { number: number }): string[] {
  const time = at === null ? '-' : at.slice(0, 19).replace('T', ' ');
  return [editionNumber(number), time, why === null ? words[outcome] : `${words[outcome]}: ${why}`];
}
