import { readFile } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { certificateFacts, certificatesIn } from '../../adapters/certificates/read.ts';
import { stateOwner } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { readHeld, type Site } from '../map/load.ts';
import { importCertificate } from './keep-certificates.ts';

/**
 * Takes over what somebody else has put where the map says (`from: {files: …}`), once that is another certificate than the one that is stored. Root reads
 * no file that the owner of a map names, since it would end up with that owner.
 *
 * @returns ids of those that were taken over, and what kept others from it
 */
export async function followFiles(
  site: Site,
  now: Date,
): Promise<{ taken: string[]; troubles: Array<{ id: string; trouble: Trouble }> }> {
  const taken: string[] = [];
  const troubles: Array<{ id: string; trouble: Trouble }> = [];
  const owner = await stateOwner(site.paths);
  if (process.getuid?.() === 0 && owner.uid !== 0) return { taken, troubles };
  for (const planned of site.plan.certificates) {
    const files = filesOf(planned, site.mapFile);
    if (files === null || !(await isNew(site, planned, files[0]))) continue;
    try {
      const refuse = (): Promise<string> =>
        Promise.reject(
          new Trouble({
            code: 'password-needed',
            message: 'Its key has a password.',
            remedy: 'Import it by hand: mile-marker certs import',
          }),
        );
      await importCertificate({ site, files, as: planned.id, cwd: '/', evenSo: false, now, password: refuse });
      taken.push(planned.id);
    } catch (error) {
      if (!(error instanceof Trouble)) throw error;
      troubles.push({ id: planned.id, trouble: error });
    }
  }
  return { taken, troubles };
}

function filesOf({ from, files }: PlannedCertificate, mapFile: string): [string, string] | null {
  if (from !== 'files' || files === null) return null;
  const folder = dirname(mapFile);
  return [resolve(folder, files.certificate), resolve(folder, files.key)];
}

/** Whether the file holds another certificate for the same names than the one that is stored. */
async function isNew({ plan }: Site, { id }: PlannedCertificate, file: string): Promise<boolean> {
  try {
    const there = certificatesIn(await readFile(file, 'utf8')).map((one) => certificateFacts(one).fingerprint);
    const held = readHeld(plan).get(id)?.fingerprint;
    return there.length > 0 && (held === undefined || !there.includes(held));
  } catch {
    return false;
  }
}
