/**
 * What the words of an authority mean for a person, by the error types of RFC 8555 §6.7 as authorities phrase them. `address`: it found no address for
 * the name; `unreachable`: nobody answered it on port 80; `answer`: somebody else did; `record`: it did not see the TXT record; `caa`: a CAA
 * record forbids it; `contact`: the e-mail address. Null for all else.
 */
type Reading = 'address' | 'unreachable' | 'answer' | 'record' | 'caa' | 'contact';

const readings: ReadonlyArray<readonly [Reading, RegExp]> = [
  ['caa', /\bCAA\b/],
  ['record', /\bTXT\b|dns-01|_acme-challenge/i],
  ['address', /NXDOMAIN|no valid (ip|a|aaaa)\b|no (ip )?address|no such host|could not resolve|servfail|DNS problem/i],
  ['unreachable', /connection refused|timed? ?out|no route|unreachable|connection reset|dial tcp/i],
  ['answer', /invalid response|key authorization|unauthorized|\b(403|404|50\d)\b/i],
  ['contact', /contact|e-?mail/i],
];

interface ReadingInput {
  /** The authority's own words. */
  words: string;
  names: readonly string[];
  /** The records that must stand at a name, in words. */
  wanted: (name: string) => string[];
  /** What brings the front live. */
  live: string;
}

/** What to do about a refusal; null when its own words are all that there is. */
export function remedyFor({ words, names, wanted, live }: ReadingInput): string | null {
  const meant = names.filter((name) => words.includes(name));
  const about = (meant.length > 0 ? meant : names).map((name) => name.replace(/^\*\./, ''));
  const reading = readings.find(([, pattern]) => pattern.test(words))?.[0] ?? null;
  switch (reading) {
    case null:
      return null;
    case 'address': {
      const records = [...new Set(about.flatMap(wanted))].slice(0, 4);
      const lines = records.length === 0 ? 'an address record' : records.join(', ');
      return `The authority found no address for ${about[0] ?? 'the name'}. Add where you keep your zone: ${lines}. When this shows it, try again: mile-marker dns check`;
    }
    case 'unreachable':
      return 'The authority gets no answer on port 80. Let the router and the firewall pass it to this machine, and see that the front runs: mile-marker verify';
    case 'answer':
      return `Somebody else answers on port 80 for this name, or an older configuration. Make the map live: ${live}`;
    case 'record':
      return 'The authority does not see the record yet. Wait longer for all name servers: mile-marker certs obtain --wait 10m';
    case 'caa':
      return 'A CAA record of the domain names another authority. See which records belong there: mile-marker dns records';
    case 'contact':
      return 'Write an address that you read under `acme.contact` in the map, or remove it.';
  }
}
