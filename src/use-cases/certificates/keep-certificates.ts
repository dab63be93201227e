import { resolve } from 'node:path';
import { readBundle } from '../../adapters/certificates/bundle.ts';
import {
  exportsOfOwner,
  readExports,
  rememberExport,
  writeExport,
  type Export,
} from '../../adapters/certificates/exports.ts';
import { completed } from '../../adapters/certificates/complete.ts';
import { certificateFacts, certificatesIn } from '../../adapters/certificates/read.ts';
import type { Pair } from '../../adapters/certificates/make.ts';
import { storePair } from '../../adapters/certificates/store.ts';
import { ensureState } from '../../adapters/files/state-folder.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { covers } from '../../core/certificates/cover.ts';
import { isWildcard } from '../../core/names/wildcard.ts';
import { shellWord } from '../../core/shell-word.ts';
import { nearest } from '../../core/findings/nearest.ts';
import type { Plan, PlannedCertificate } from '../../core/plan/plan.ts';
import type { Site } from '../map/load.ts';

/** @throws Trouble `certificate-unknown` */
export function plannedNamed({ certificates }: Plan, id: string): PlannedCertificate {
  const found = certificates.find((one) => one.id === id);
  if (found !== undefined) return found;
  const known = certificates.map((one) => one.id);
  const near = nearest(id, known);
  const remedy = near === null ? 'See them with: mile-marker certs' : `Did you mean ${near}?`;
  throw new Trouble({
    code: 'certificate-unknown',
    message: `The map has no certificate ${id}.`,
    remedy,
    exitCode: 2,
  });
}

interface ImportInput {
  site: Site;
  files: readonly string[];
  /** The certificate it is for; null: the one whose names it covers. */
  as: string | null;
  cwd: string;
  /** Store it although it is not valid now. */
  evenSo: boolean;
  now: Date;
  password: () => Promise<string>;
}

/** Takes a certificate over that somebody else issued: sorted, proven to fit its key, stored with mode 0600. */
export async function importCertificate({
  site,
  files,
  as,
  cwd,
  evenSo,
  now,
  password,
}: ImportInput): Promise<{ id: string; names: string[]; found: string | null }> {
  const paths = files.map((file) => resolve(cwd, file));
  const { pair: given, leaf } = await readBundle({ files: paths, password });
  const { pair, found } = await withIntermediate(given, paths, evenSo);
  const { dnsNames: names, notBefore, notAfter } = certificateFacts(leaf);
  if (!evenSo) refuseInvalid({ notBefore, notAfter }, now);
  const planned = as === null ? fitting(site.plan, names, files) : plannedNamed(site.plan, as);
  const missing = planned.names.filter((name) => !names.includes(name) && !covers(names, name));
  if (missing.length > 0 && !(evenSo && as !== null)) {
    const message = `The certificate covers ${names.join(', ') || 'no name'}, and \`${planned.id}\` also needs ${missing.join(', ')}.`;
    const remedy =
      'Get one that covers them, or change `names` under `certificates` in the map. To store it anyway, add: --as ID --even-so';
    throw new Trouble({ code: 'certificate-other-name', message, remedy, exitCode: 2 });
  }
  await ensureState(site.paths);
  await storePair(planned, pair);
  await refreshExports(planned);
  return { id: planned.id, names, found };
}

/** @throws Trouble `certificate-incomplete` where the certificate that signed it is nowhere to be found */
async function withIntermediate(
  pair: Pair,
  paths: readonly string[],
  evenSo: boolean,
): Promise<{ pair: Pair; found: string | null }> {
  const whole = await completed(certificatesIn(pair.certificate), paths);
  if (whole.ok) {
    if (whole.found === null) return { pair, found: null };
    return { pair: { ...pair, certificate: whole.chain.map(String).join('') }, found: whole.found };
  }
  if (evenSo) return { pair, found: null };
  throw new Trouble({
    code: 'certificate-incomplete',
    message: `The certificate is signed by ${whole.issuer}, whose own certificate is neither in these files nor beside them.`,
    remedy:
      'Without it many programs refuse the certificate. Download the intermediate certificate where you got this one, and name it too: mile-marker certs import CERTIFICATE INTERMEDIATE KEY. To store it anyway, add: --even-so',
    exitCode: 2,
  });
}

/** @throws Trouble `certificate-not-valid` for one that no browser takes now */
function refuseInvalid({ notBefore, notAfter }: { notBefore: number; notAfter: number }, now: Date): void {
  const time = now.getTime();
  if (time >= notBefore && time < notAfter) return;
  const day = (at: number): string => new Date(at).toISOString().slice(0, 10);
  const message =
    time < notBefore
      ? `The certificate is not valid before ${day(notBefore)}.`
      : `The certificate expired on ${day(notAfter)}.`;
  const remedy = 'Get a newer one. To store it anyway, add: --even-so';
  throw new Trouble({ code: 'certificate-not-valid', message, remedy, exitCode: 2 });
}

function fitting(
  { certificates, roads }: Plan,
  names: readonly string[],
  files: readonly string[],
): PlannedCertificate {
  const found = certificates.filter((planned) =>
    planned.names.every((name) => names.includes(name) || covers(names, name)),
  );
  const [first, second] = found;
  if (first !== undefined && second === undefined) return first;
  const wildcard = names.find(isWildcard);
  const covered = roads.filter(({ name }) => covers(names, name));
  if (wildcard !== undefined && covered.length > 0)
    throw forMany(
      wildcard,
      names,
      covered.map(({ name }) => name),
      files,
    );
  const message =
    first === undefined
      ? `The certificate covers ${names.join(', ') || 'no name'}, which none of the map's certificates needs.`
      : `The certificate could be for ${found.map(({ id }) => id).join(', ')}.`;
  const remedy =
    first === undefined ? 'Fix `certificates` in the map, or get another.' : `Write which one: --as ${first.id}`;
  throw new Trouble({ code: 'certificate-for-what', message, remedy, exitCode: 2 });
}

/** A certificate for many names is one of the map's own, which says so once for all of them. A wildcard that leaves the bare name out is told by its roads. */
function forMany(
  wildcard: string,
  names: readonly string[],
  roads: readonly string[],
  files: readonly string[],
): Trouble {
  const [certificate = 'CERTIFICATE', key = certificate] = files;
  const bare = wildcard.replace(/^\*\./, '');
  const id = bare.split('.')[0] ?? 'bought';
  const from = `{files: {certificate: ${JSON.stringify(certificate)}, key: ${JSON.stringify(key)}}}`;
  const own = names.includes(bare) ? `names: ${bare}, wildcard: true` : `names: [${roads.join(', ')}]`;
  const value = `{${own}, from: ${from}}`;
  return new Trouble({
    code: 'certificate-for-what',
    message: `The certificate covers ${names.join(', ')}: ${String(roads.length)} of the map's roads. The map does not say yet that they share one.`,
    remedy: `Write it into the map: mile-marker set certificates.${id} ${shellWord(value)}. Then: mile-marker certs import --as ${id} ${files.map(shellWord).join(' ')}`,
    exitCode: 2,
  });
}

/** Copies a certificate out, now and after each renewal. */
export async function exportCertificate(planned: PlannedCertificate, wanted: Export): Promise<void> {
  // What cannot be written once is not tried again at every renewal.
  await writeExport(planned, wanted);
  await rememberExport(planned, wanted);
}

export async function refreshExports(planned: PlannedCertificate): Promise<void> {
  for (const one of await readExports(planned)) await writeExport(planned, one);
  const [other] = await exportsOfOwner(planned);
  if (other === undefined) return;
  throw new Trouble({
    code: 'exports-of-others',
    message: `The copy of \`${planned.id}\` at ${other.to} was not updated: the owner of the map can edit the list of copies, and root does not write files that another user names.`,
    remedy: `To let root write it, run this once as root: mile-marker certs export ${shellWord(planned.id)} --to ${shellWord(other.to)}${other.key === null ? '' : ` --key ${shellWord(other.key)}`}${other.then.map((word) => ` --then ${shellWord(word)}`).join('')}. Else renew as the owner of the map.`,
  });
}
