import { ask, type ZoneReader } from '../../adapters/dns/zone.ts';
import { Trouble } from '../../adapters/trouble.ts';
import { caaForbids, type CaaRecord } from '../../core/certificates/caa.ts';

export interface CaaInput {
  names: readonly string[];
  /** Domains by which a record allows the authority. */
  identities: string[];
  authority: string;
  accountUrl: string;
  challenge: 'http' | 'dns';
  reader: ZoneReader;
}

/**
 * CAA records stand at the name or at the nearest one above that has any (RFC 8659 §3).
 *
 * @throws Trouble `caa-forbids`
 */
export async function askCaa({ names, identities, authority, accountUrl, challenge, reader }: CaaInput): Promise<void> {
  for (const name of names) {
    const bare = name.replace(/^\*\./, '');
    const { at, records } = await caaOf(reader, bare);
    const why = caaForbids({ records, identities, wildcard: name !== bare, challenge, accountUrl });
    if (why === null) continue;
    const message = `The CAA record of ${at} does not allow ${authority} to issue for ${name}: ${why}.`;
    const remedy = `Add: ${at}. CAA 0 issue "${identities[0] ?? ''}". The authority was not asked.`;
    throw new Trouble({ code: 'caa-forbids', message, remedy });
  }
}

/** The nearest name at or above one that has CAA records, and those; none where no name has any. @throws Trouble `no-resolver` */
export async function caaOf(reader: ZoneReader, name: string): Promise<{ at: string; records: CaaRecord[] }> {
  const labels = name.split('.');
  for (let from = 0; from < labels.length; from += 1) {
    const at = labels.slice(from).join('.');
    const { answers } = await ask(reader, { name: at, type: 'CAA' });
    const records = answers.flatMap((answer) =>
      answer.type === 'CAA'
        ? [
            {
              tag: answer.data.tag.toLowerCase(),
              value: answer.data.value,
              critical: answer.data.issuerCritical === true,
            },
          ]
        : [],
    );
    if (records.length > 0) return { at, records };
  }
  return { at: name, records: [] };
}
