import { covers, type HeldCertificate } from '../../../core/certificates/cover.ts';
import type { Attempt } from '../../../core/legs/answer.ts';
import { judgeTls, type TlsEvidence, type TlsInput } from '../../../core/legs/tls/tls.ts';
import type { LegAt } from '../../../core/legs/unite.ts';
import type { PlannedCertificate, PlannedRoad } from '../../../core/plan/plan.ts';
import type { Endpoint, Prober } from '../asking/prober.ts';
import type { Shared } from '../testing.ts';

/** What is the same wherever the same certificate is shown at one address, by both: it is tested once a run. */
type ByCertificate = Map<string, Promise<Pick<TlsEvidence, 'inOrder' | 'weakSuite'>>>;

/** Tests the handshake of a road at every address that speaks HTTPS, since one of two may be answered by something else. */
export function tlsTester(shared: Shared): (road: PlannedRoad) => Promise<LegAt[]> {
  const { input, front } = shared;
  const known: ByCertificate = new Map();
  return ({ name, certificate }) => {
    // What an edge shows is its own.
    const held = input.plan.front.edge === null ? (input.held.get(certificate) ?? null) : null;
    return testTlsAt(shared, { name, held, endpoints: front.open('https'), known });
  };
}

interface TlsAt {
  name: string;
  /** What lies here for that name. */
  held: HeldCertificate | null;
  endpoints: readonly Endpoint[];
  known?: ByCertificate;
}

/** Tests the handshake by one name at some ports of the front. */
export async function testTlsAt(
  { input, shownToAll }: Pick<Shared, 'input' | 'shownToAll'>,
  { name, held, endpoints, known = new Map() }: TlsAt,
): Promise<LegAt[]> {
  const { domains, certificates } = input.plan;
  const issued = certificates.filter(({ from }) => from === 'acme');
  const isIssued = issued.some(({ names }) => covers(names, name));
  const authority: TlsInput['authority'] = isIssued ? 'this' : issued.length > 0 ? 'others' : 'none';
  const renewal = howToRenew(certificates.find(({ names }) => covers(names, name)));
  const results: LegAt[] = [];
  for (const endpoint of endpoints) {
    const { attempt, onlyOld } = await look(input.prober, name, endpoint, known);
    const { address, port } = endpoint;
    const shown = shownToAll.get(address) ?? null;
    const about = { name, port, domains, held, authority, renewal, shownToAll: shown, now: input.now };
    const result = judgeTls({ ...about, attempt, onlyOld });
    results.push({ address, part: '/', result });
  }
  return results;
}

/** What an authority issued is renewed; what somebody bought is bought again. */
function howToRenew(planned: PlannedCertificate | undefined): string {
  if (planned?.from !== 'files') return 'mile-marker certs renew';
  return `mile-marker certs import --as ${planned.id} FILES, with the new files from the same authority`;
}

async function look(
  prober: Prober,
  name: string,
  endpoint: Endpoint,
  known: ByCertificate,
): Promise<{ attempt: Attempt<TlsEvidence>; onlyOld: string | null }> {
  const attempt = await prober.handshake(endpoint, name);
  if (!attempt.ok) {
    const { kind, because } = attempt.failure;
    const mayBeOld = kind === 'closed' || because === 'version' || because === 'ended';
    return { attempt, onlyOld: mayBeOld ? await prober.oldProtocol(endpoint, name) : null };
  }
  const { fingerprint } = attempt.value.leaf;
  const key = `${endpoint.address} ${fingerprint}`;
  const more = known.get(key) ?? lookOnce(prober, endpoint, name);
  known.set(key, more);
  const [old, { inOrder, weakSuite }] = await Promise.all([prober.oldProtocol(endpoint, name), more]);
  return { attempt: { ok: true, value: { ...attempt.value, old, inOrder, weakSuite } }, onlyOld: null };
}

async function lookOnce(
  prober: Prober,
  endpoint: Endpoint,
  name: string,
): Promise<Pick<TlsEvidence, 'inOrder' | 'weakSuite'>> {
  const [inOrder, weakSuite] = await Promise.all([
    prober.chainInOrder(endpoint, name),
    prober.weakSuite(endpoint, name),
  ]);
  return { inOrder, weakSuite };
}
