import { readFile } from 'node:fs/promises';
import { keepFile } from '../../adapters/files/kept-files.ts';
import { reasonOf, Trouble } from '../../adapters/trouble.ts';
import type { Replaced } from '../../core/live/entries.ts';
import type { Plan } from '../../core/plan/plan.ts';
import type { ProxyName } from '../../core/proxies/names.ts';
import type { ProxyProgram, ToSwitchOff } from '../../core/proxies/program.ts';
import { programOf } from '../../core/proxies/programs.ts';
import { prepare } from '../../core/verdict/decide.ts';

/** A file with all that is in the way switched off. @property text as bytes: what is not ours in it stays as it is, in whatever encoding */
export interface SwitchedOff {
  path: string;
  text: Buffer;
  /** The program of the file, which gives its ports to another one. */
  leaves: ProxyName | null;
}

/**
 * Works out what files look like with all that is in the way of a plan switched off. Nothing is changed or kept yet.
 *
 * @param left the program that gives way to the plan's own; null when none does @throws Trouble `cannot-replace`
 */
export async function switchOff(paths: readonly string[], plan: Plan, left: ProxyName | null): Promise<SwitchedOff[]> {
  const { roadOf } = prepare(plan);
  const covers = (name: string): boolean => roadOf(name.replace(/^\./, '')) !== null;
  const ports = [plan.front.listen.http, plan.front.listen.https];
  return Promise.all(
    paths.map(async (path) => {
      const bytes = await readFile(path).catch((cause: unknown) => {
        throw cannot(path, reasonOf(cause));
      });
      // What is no UTF-8 is taken byte for byte.
      const encoding = Buffer.from(bytes.toString('utf8')).equals(bytes) ? 'utf8' : 'latin1';
      const text = bytes.toString(encoding);
      const made = makeBy(plan.front.proxy, text, { covers, ports });
      if (!('why' in made)) return { path, text: Buffer.from(made.text, encoding), leaves: null };
      const leaving = left === null ? made : makeBy(left, text, { covers, ports, leaves: true });
      if ('why' in leaving) throw cannot(path, leaving.why);
      return { path, text: Buffer.from(leaving.text, encoding), leaves: left };
    }),
  );
}

function makeBy(proxy: ProxyName, text: string, wanted: ToSwitchOff): ReturnType<ProgramSwitch> {
  const { switchOff: program, title } = programOf(proxy);
  return program?.make(text, wanted) ?? { why: `files of ${title} cannot be switched off` };
}

type ProgramSwitch = NonNullable<ProxyProgram['switchOff']>['make'];

/** Keeps them as they are, for as long as they are switched off. @param folder of the front */
export async function keepAll(files: readonly SwitchedOff[], folder: string): Promise<Replaced[]> {
  const kept: Replaced[] = [];
  for (const { path, text, leaves } of files) {
    const one = await keepFile(path, text, folder);
    kept.push(leaves === null ? one : { ...one, leaves });
  }
  return kept;
}

function cannot(path: string, why: string): Trouble {
  return new Trouble({
    code: 'cannot-replace',
    message: `Nothing can be switched off in ${path}: ${why}. Nothing was changed.`,
    remedy: 'Change that file by hand, or put those names on the map. mile-marker check lists the conflicts.',
    exitCode: 2,
  });
}
