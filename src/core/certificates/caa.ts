/** A CAA record (RFC 8659 §4.1). */
export interface CaaRecord {
  tag: string;
  value: string;
  critical: boolean;
}

export interface CaaInput {
  records: readonly CaaRecord[];
  /** Domains by which the authority knows itself; empty when it does not say, and then nothing can be judged. */
  identities: readonly string[];
  wildcard: boolean;
  challenge: 'http' | 'dns';
  /** Null where it is not known: then a record that names one is taken to mean it. */
  accountUrl: string | null;
}

/** The domain by which the public authority behind `staging` and `production` knows itself, or null for another directory. */
export function publicIssuer(directory: string): string | null {
  return directory === 'staging' || directory === 'production' ? 'letsencrypt.org' : null;
}

/** Why these records forbid the certificate, or null when they allow it (RFC 8659 §4.2 and §4.3, RFC 8657 §3 and §4). */
export function caaForbids({ records, identities, wildcard, challenge, accountUrl }: CaaInput): string | null {
  const unknown = records.find(
    ({ tag, critical }) => critical && !['issue', 'issuewild', 'iodef', 'issuemail', 'issuevmc'].includes(tag),
  );
  if (unknown !== undefined) return `it has the unknown critical property ${unknown.tag}`;
  const wild = wildcard ? records.filter(({ tag }) => tag === 'issuewild') : [];
  const relevant = wild.length > 0 ? wild : records.filter(({ tag }) => tag === 'issue');
  if (relevant.length === 0 || identities.length === 0) return null;
  const issuers = relevant.map(({ value }) => parseIssuer(value));
  const ours = issuers.filter(({ domain }) => identities.includes(domain));
  if (ours.length === 0) {
    const others = issuers.map(({ domain }) => domain).filter((domain) => domain !== '');
    return others.length === 0 ? 'it lets no authority issue' : `it lets only ${others.join(', ')} issue`;
  }
  const allowed = ours.some(({ parameters }) => {
    const methods = parameters['validationmethods'];
    const account = parameters['accounturi'];
    return (
      (methods === undefined || methods.split(',').includes(`${challenge}-01`)) &&
      (account === undefined || accountUrl === null || account === accountUrl)
    );
  });
  return allowed
    ? null
    : `it asks for another challenge or another account than ${challenge}${accountUrl === null ? '' : ` and ${accountUrl}`}`;
}

function parseIssuer(value: string): { domain: string; parameters: Record<string, string> } {
  const [domain = '', ...rest] = value.split(';').map((part) => part.trim());
  const parameters = Object.fromEntries(
    rest.flatMap((part) => {
      const [key = '', ...words] = part.split('=');
      return key === '' ? [] : [[key.trim().toLowerCase(), words.join('=').trim()]];
    }),
  );
  return { domain: domain.toLowerCase().replace(/\.$/, ''), parameters };
}
