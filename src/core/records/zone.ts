import type { WantedRecord, WantedZone } from './wanted.ts';

interface ZoneTextInput {
  zones: readonly WantedZone[];
  /** File that the records come from. */
  map: string;
  view: 'public' | 'home';
}

/**
 * The records as zone files (RFC 1035 §5.1), one $ORIGIN a domain. SOA and NS are not ours to say, so each part is meant to be
 * put beside what a zone has already.
 */
export function zoneText({ zones, map, view }: ZoneTextInput): string {
  const head =
    view === 'home'
      ? `; For the resolver at home. A zone of your own there hides every other public name of the domain from home.\n`
      : `; The records that the zones need. SOA, NS and other records stay as they are.\n`;
  return `; Written by Mile Marker from ${oneLine(map)}\n${head}${zones.map(onePart).join('')}`;
}

function onePart({ domain, records }: WantedZone): string {
  const rows = records.map((record) => [
    ownerIn(domain, record.name),
    String(record.ttlSeconds),
    record.type,
    record.data,
  ]);
  const widths = [0, 1, 2].map((column) => Math.max(...rows.map((row) => (row[column] ?? '').length)));
  const lines = rows.map((row) =>
    row
      .map((cell, column) => cell.padEnd(widths[column] ?? 0))
      .join('  ')
      .trimEnd(),
  );
  return `\n$ORIGIN ${domain}.\n${lines.join('\n')}\n`;
}

function ownerIn(domain: string, name: string): string {
  return name === domain ? '@' : name.slice(0, -domain.length - 1);
}

/** Lines of a hosts file (hosts(5)): for one machine, or for a resolver that reads such files. It knows no wildcards. */
export function hostsText(zones: readonly WantedZone[]): string {
  const all = zones.flatMap(({ records }) => records);
  const lines = all.flatMap(({ name, type, data }) => (isAddress(type) ? [`${data}\t${name}`] : []));
  return `${lines.join('\n')}\n`;
}

function isAddress(type: WantedRecord['type']): boolean {
  return type === 'A' || type === 'AAAA';
}

/** A comment ends at the end of its line. */
function oneLine(text: string): string {
  return text.replace(/[\u0000-\u001f\u007f]/g, '?');
}
