import { isWildcard } from '../../names/wildcard.ts';
import { escapeFormat } from './quote.ts';

/** A log format for a value in which a road's own name occurs. The road of all other names has none: haproxy fills in the one that was asked for. */
export function namedFormat(value: string, { name }: { name: string }): string {
  const text = escapeFormat(value);
  return isWildcard(name) ? text.replaceAll(name, () => '%[var(txn.name)]') : text;
}
