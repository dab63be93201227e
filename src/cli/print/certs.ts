import { daysLeft, renewAt, shareLeft } from '../../core/certificates/renewal.ts';
import type { HeldCertificate } from '../../core/certificates/cover.ts';
import type { PlannedCertificate } from '../../core/plan/plan.ts';
import { style } from './style.ts';
import { table } from './table.ts';

/** A certificate of the map as `certs` shows it. Times are ISO days; null where none is held. */
export interface CertificateRow {
  id: string;
  names: string[];
  covers: string[];
  issuer: string | null;
  from: string | null;
  to: string | null;
  daysLeft: number | null;
  left: number | null;
  renewAt: string | null;
  roads: Array<{ road: string; why: string }>;
  renews: { by: PlannedCertificate['from']; challenge: PlannedCertificate['challenge'] };
}

interface RowInput {
  planned: PlannedCertificate;
  held: HeldCertificate | null;
  roads: CertificateRow['roads'];
  now: number;
}

export function certificateRow({ planned, held, roads, now }: RowInput): CertificateRow {
  const { id, names } = planned;
  const none = { covers: [], issuer: null, from: null, to: null, daysLeft: null, left: null, renewAt: null };
  const renews = { by: planned.from, challenge: planned.challenge };
  if (held === null) return { id, names, ...none, roads, renews };
  return {
    id,
    names,
    covers: held.dnsNames,
    issuer: shortName(held.issuer),
    from: day(held.notBefore),
    to: day(held.notAfter),
    daysLeft: daysLeft(held, now),
    left: shareLeft(held, now),
    renewAt: day(renewAt(held)),
    roads,
    renews,
  };
}

/** For people. */
function renewsBy({ by, challenge }: CertificateRow['renews']): string {
  if (by === 'practice') return 'certs make';
  return by === 'acme' ? `certs renew, by ${challenge ?? 'http'}` : 'by you, with certs import';
}

/** Organisation and common name of an issuer, which is what people know it by. */
function shortName(issuer: string): string {
  const part = (key: string): string | undefined => new RegExp(`^${key}=(.*)$`, 'm').exec(issuer)?.[1];
  const name = [part('O'), part('CN')].filter((one) => one !== undefined).join(', ') || issuer.replace(/\n/g, ', ');
  if (name.startsWith('Mile Marker practice authority')) return 'your practice authority';
  // Commas inside a part are escaped there (RFC 4514 §2.4).
  return name.replace(/\\(.)/g, '$1');
}

function day(time: number): string {
  return new Date(time).toISOString().slice(0, 10);
}

export function formatCertificates(
  rows: readonly CertificateRow[],
  { width, colour }: { width: number; colour: boolean },
): string {
  const paint = style(colour);
  const head = ['certificate', 'ends', 'left', 'renews', 'roads'].map((word) => paint.bold(word));
  return table(
    head,
    rows.map(({ id, from, to, issuer, daysLeft: days, renews, roads, covers }) => {
      const names =
        roads.length > 3 && width < 140 ? `${String(roads.length)} roads` : roads.map(({ road }) => road).join('\n');
      const apart = covers.length === 1 && covers[0] === id ? [] : covers;
      const about = [id, ...apart.map((name) => `  ${name}`), ...(issuer === null ? [] : [`  by ${issuer}`])];
      const rest = to === null ? ['none yet', ''] : [`${to}\nfrom ${from ?? ''}`, `${String(days)} days`];
      return [about.join('\n'), ...rest, renewsBy(renews).replace(', ', '\n'), names === id ? 'its own name' : names];
    }),
  );
}
