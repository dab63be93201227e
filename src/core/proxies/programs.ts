import { builtin } from './builtin/program.ts';
import { haproxy } from './haproxy/program.ts';
import { httpd } from './httpd/program.ts';
import type { ProxyName } from './names.ts';
import { nginx } from './nginx/program.ts';
import type { ProxyProgram } from './program.ts';
import type { Renderer } from './renderer.ts';

/** What each server program is. A new one is a folder of its own and a line here. */
const programs: Record<ProxyName, ProxyProgram> = { builtin, nginx, httpd, haproxy };

export const allPrograms: readonly ProxyProgram[] = Object.values(programs);

export function programOf(name: ProxyName): ProxyProgram {
  return programs[name];
}

/** Those whose configuration this version writes. */
export function writtenPrograms(): Array<ProxyProgram & { renderer: Renderer }> {
  return allPrograms.flatMap((program) =>
    program.renderer === null ? [] : [{ ...program, renderer: program.renderer }],
  );
}

/** Names of those of which a first map can be read off. */
export function readablePrograms(): ProxyName[] {
  return allPrograms.flatMap(({ name, takeOver }) => (takeOver === null ? [] : [name]));
}
