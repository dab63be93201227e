import { join } from 'node:path';
import { startBuiltin, type BuiltinFront } from '../../src/builtin/server.ts';
import type { Patience } from '../../src/builtin/patience.ts';
import { plannedOf } from './plan.ts';
import { folderWith, mileMarker } from './program.ts';
import { practiceHead } from './site.ts';

/** The builtin front in this process, with what it said of trouble. */
export interface FrontHere {
  http: number;
  https: number;
  folder: string;
  troubles: string[];
  front: BuiltinFront;
}

/** @param roads the lines below `roads:` @param options other than the usual, and more of the front's lines in the map */
export async function frontHere(
  roads: string,
  { patience, extra = '', files = {} }: { patience?: Patience; extra?: string; files?: Record<string, string> } = {},
): Promise<FrontHere> {
  const { http, https, head } = await practiceHead('builtin', extra);
  const text = `${head}roads:\n${roads}`;
  const folder = folderWith({ ...files, 'mile-marker.yaml': text });
  const made = await mileMarker(['certs', 'make'], folder);
  if (made.code !== 0) throw new Error(made.err);
  const { plan } = plannedOf(text, undefined, undefined, folder);
  for (const certificate of plan.certificates) {
    const own = join(folder, '.mile-marker/certificates', certificate.id, 'current');
    Object.assign(certificate, { certificateFile: join(own, 'certificate.pem'), keyFile: join(own, 'key.pem') });
  }
  const troubles: string[] = [];
  const onTrouble = (message: string): void => void troubles.push(message);
  const front = await startBuiltin({ plan, mark: 'm', onTrouble, ...(patience === undefined ? {} : { patience }) });
  return { http, https, folder, troubles, front };
}
