import { filesOf } from '../../../core/gates/check.ts';
import { readFile } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import type { Command } from 'commander';
import { findMap } from '../../../adapters/files/find-map.ts';
import { builtInGates } from '../../../core/map/built-in-gates.ts';
import { readMap } from '../../../core/map/read-map.ts';
import { knownKeys } from '../../../core/map/schema/describe.ts';
import { devicesIn } from '../../../core/devices/ledger.ts';
import { statePaths } from '../../../adapters/files/state-folder.ts';
import { loadDevices } from '../../../use-cases/map/devices.ts';
import { parsePasswordFile } from '../../../core/people/password-file.ts';
import { complete, type NamesAtHand } from '../../help/complete.ts';
import type { Io } from '../../io.ts';

/** Prints what may stand at the cursor, each on a line, with what it is behind a tab. Says nothing of what goes wrong: somebody is typing. */
export async function runCompleteWords(program: Command, words: readonly string[], io: Io): Promise<void> {
  const option = words.indexOf('--map');
  const named = option < 0 ? undefined : words[option + 1];
  const all = await complete(program, words.length === 0 ? [''] : words, () => namesAtHand(named, io));
  // What would break a line in two is typed by hand.
  const found = all.filter(({ word }) => !/[\u0000-\u001f\u007f]/.test(word));
  io.out(found.map(({ word, about }) => (about === '' ? `${word}\n` : `${word}\t${about}\n`)).join(''));
}

async function namesAtHand(option: string | undefined, io: Io): Promise<NamesAtHand> {
  const none: NamesAtHand = {
    roads: [],
    gates: [],
    certificates: [],
    people: [],
    devices: [],
    keys: knownKeys(['roads', 'x']),
  };
  try {
    const file = await findMap({ option, cwd: io.cwd, env: io.env });
    const { map } = readMap({ file, text: await readFile(file, 'utf8') });
    if (map === null) return none;
    const ledger = await loadDevices(statePaths(file));
    const files = filesOf({ name: '', parts: map.gates }).map((path) => resolve(dirname(file), path));
    const texts = await Promise.all(files.map((path) => readFile(path, 'utf8').catch(() => '')));
    const people = texts.flatMap((text) => parsePasswordFile(text).people.map(({ name }) => name));
    return {
      ...none,
      roads: map.roads.map(({ key }) => key),
      gates: [...builtInGates, ...map.gates.map(({ name }) => name)],
      certificates: map.certificates.map(({ id }) => id),
      people: [...new Set(people)],
      devices:
        ledger === null ? [] : devicesIn(ledger).flatMap(({ name, removed }) => (removed === null ? [name] : [])),
    };
  } catch {
    return none;
  }
}
