import { publicIssuer } from '../certificates/caa.ts';
import type { SiteMap } from '../map/site-map.ts';
import { isUnder } from '../names/host-name.ts';
import { isWildcard } from '../names/wildcard.ts';
import type { Plan } from '../plan/plan.ts';

/**
 * One record that must stand in a zone.
 *
 * @property name full name without a dot at the end; a wildcard as `*.NAME`
 * @property data as it stands in a zone file (RFC 1035 §5.1); a name with its dot at the end
 */
export interface WantedRecord {
  name: string;
  type: 'A' | 'AAAA' | 'CNAME' | 'CAA';
  ttlSeconds: number;
  data: string;
}

/** @property domain the map's domain, at which a zone is taken to begin */
export interface WantedZone {
  domain: string;
  records: WantedRecord[];
}

/** @property notes what a person should know about them, one sentence each */
interface WantedRecords {
  zones: WantedZone[];
  notes: string[];
}

interface WantedInput {
  plan: Plan;
  dns: Pick<SiteMap['dns'], 'style' | 'ttlSeconds'>;
  acme: SiteMap['acme'];
  /** Seen by everybody, or at home (split DNS). */
  view: 'public' | 'home';
}

/**
 * What must stand in the zones of the map. At home every name gets the addresses of home. Otherwise, by style: one address
 * record and aliases to it (one place to change when the address moves), an address record for each name, or one wildcard. The
 * bare domain never gets an alias, since nothing may stand beside one (RFC 1034 §3.6.2).
 */
export function wantedRecords(input: WantedInput): WantedRecords {
  const { plan, view } = input;
  const names = namesOf(plan);
  const made =
    view === 'home' ? { records: addressesFor(names, input, plan.front.home), notes: [] } : publicRecords(input);
  const records = [...made.records, ...(view === 'home' ? [] : authorities(input))];
  const byDomain = new Map(plan.domains.map((domain) => [domain, [] as WantedRecord[]]));
  for (const record of records) byDomain.get(domainOf(record.name, plan.domains) ?? '')?.push(record);
  const zones = [...byDomain].map(([domain, own]) => ({ domain, records: own }));
  return { zones: zones.filter((zone) => zone.records.length > 0), notes: made.notes };
}

/** The records that must stand at a name, or at the wildcard that answers for it, each as it stands in a zone file (RFC 1035 §5.1). */
export function recordLines(wanted: Pick<WantedRecords, 'zones'>): (name: string) => string[] {
  const lines = new Map<string, string[]>();
  for (const { name, type, data } of wanted.zones.flatMap(({ records }) => records))
    if (type !== 'CAA') lines.set(name, [...(lines.get(name) ?? []), `${name}. ${type} ${data}`]);
  const domains = wanted.zones.map(({ domain }) => domain);
  return (name) => lines.get(name) ?? lines.get(`*.${domainOf(name, domains) ?? ''}`) ?? [];
}

function namesOf({ roads }: Plan): string[] {
  return [...new Set(roads.map(({ name }) => name))];
}

/** The longest domain of the map that a name lies in. */
function domainOf(name: string, domains: readonly string[]): string | null {
  let longest: string | null = null;
  for (const domain of domains) if (isUnder(name, domain) && domain.length > (longest?.length ?? -1)) longest = domain;
  return longest;
}

interface Made {
  records: WantedRecord[];
  notes: string[];
}

function publicRecords(input: WantedInput): Made {
  const { plan, dns } = input;
  const { addresses, names: frontNames } = plan.front;
  const names = namesOf(plan);
  if (plan.front.edge !== null) {
    return {
      records: [],
      notes: [
        'An edge is in front, and its provider tells you which records to set. Your own address stays out of public DNS.',
      ],
    };
  }
  const [outside] = frontNames;
  if (outside !== undefined && addresses.length === 0) return behindName(input, outside);
  const anchor = anchorOf(plan) ?? names[0];
  if (anchor === undefined) return { records: [], notes: [] };
  if (addresses.length === 0) return { records: [], notes: ['The address of the front is not known on this machine.'] };
  switch (dns.style) {
    case 'addresses':
      return { records: addressesFor(names, input, addresses), notes: [] };
    case 'aliases': {
      const isOwn = (name: string): boolean => name === anchor || plan.domains.includes(name);
      const own = names.filter(isOwn);
      const rest = names.filter((name) => !isOwn(name));
      return {
        records: [...addressesFor(own, input, addresses), ...rest.map((name) => alias(name, anchor, input))],
        notes: [],
      };
    }
    case 'wildcard':
      return wildcards(input, addresses);
  }
}

/** The front has a name of its own, as with a dynamic address: everything else is an alias of it. */
function behindName(input: WantedInput, outside: string): Made {
  const { plan } = input;
  const names = namesOf(plan).filter((name) => name !== outside);
  const bare = names.filter((name) => plan.domains.includes(name));
  const notes = bare.map(
    (name) =>
      `${name} is the bare domain, which cannot be an alias: give it the address of ${outside} as a record of its own, and change both together.`,
  );
  notes.push(
    `${outside} must have your public address: by hand, or kept up to date by: mile-marker dns update-address`,
  );
  const rest = names.filter((name) => !plan.domains.includes(name));
  if (input.dns.style !== 'wildcard') return { records: rest.map((name) => alias(name, outside, input)), notes };
  const domains = plan.domains.filter((domain) => rest.some((name) => domainOf(name, plan.domains) === domain));
  return { records: domains.map((domain) => alias(`*.${domain}`, outside, input)), notes };
}

/** Where the one address stands: at the bare domain when that is on the map, else at the first road of the first domain. */
export function anchorOf({ domains, roads, front }: Plan): string | null {
  const [outside] = front.names;
  if (outside !== undefined && front.addresses.length === 0) return outside;
  const [first = ''] = domains;
  // What an alias leads to is looked up as it stands, and a wildcard is no name of a machine.
  const names = roads.map(({ name }) => name).filter((name) => !isWildcard(name));
  if (names.includes(first)) return first;
  return names.find((name) => domainOf(name, domains) === first) ?? names[0] ?? null;
}

/** A wildcard answers for names at any depth, but not below a name that has records of its own (RFC 4592 §2.2). */
function wildcards(input: WantedInput, addresses: readonly string[]): Made {
  const { plan } = input;
  const names = namesOf(plan);
  const records = plan.domains.flatMap((domain) => {
    const inside = names.filter((name) => domainOf(name, plan.domains) === domain);
    const bare = inside.includes(domain) ? addressesFor([domain], input, addresses) : [];
    if (inside.every((name) => name === domain)) return bare;
    const star = `*.${domain}`;
    return [...bare, ...(bare.length > 0 ? [alias(star, domain, input)] : addressesFor([star], input, addresses))];
  });
  return { records, notes: ['A wildcard record leads every name to the front, also those that are not on the map.'] };
}

function addressesFor(names: readonly string[], { dns }: WantedInput, addresses: readonly string[]): WantedRecord[] {
  return names.flatMap((name) =>
    addresses.map((data): WantedRecord => {
      const type = data.includes(':') ? 'AAAA' : 'A';
      return { name, type, ttlSeconds: dns.ttlSeconds, data };
    }),
  );
}

function alias(name: string, to: string, { dns }: WantedInput): WantedRecord {
  return { name, type: 'CNAME', ttlSeconds: dns.ttlSeconds, data: `${to}.` };
}

/**
 * Who may issue certificates (RFC 8659), where the map says that one public authority issues all of them. With `;` nobody may
 * issue a wildcard.
 */
function authorities({ plan, dns, acme }: WantedInput): WantedRecord[] {
  const issuer = acme === null ? null : publicIssuer(acme.directory);
  if (issuer === null) return [];
  return plan.domains.flatMap((domain): WantedRecord[] => {
    const own = plan.certificates.filter(({ names }) =>
      names.some((name) => isUnder(name.replace(/^\*\./, ''), domain)),
    );
    if (own.length === 0 || own.some(({ from }) => from !== 'acme')) return [];
    const wild = own.some(({ names }) => names.some(isWildcard));
    const record = (tag: string, value: string): WantedRecord => ({
      name: domain,
      type: 'CAA',
      ttlSeconds: dns.ttlSeconds,
      data: `0 ${tag} "${value}"`,
    });
    return [record('issue', issuer), record('issuewild', wild ? issuer : ';')];
  });
}

/** What to do where no address of the front is known. @param names of the front; none where it is an interface */
export function addressRemedy([name]: readonly string[]): string {
  if (name === undefined) return 'Correct `front.address` in the map.';
  return `Give it your public address by hand (${name}. A ADDRESS), or have it done: mile-marker dns update-address.`;
}
