import { nearest } from '../findings/nearest.ts';
import { isUnder, parseHostName, type HostName, type HostNameProblem } from '../names/host-name.ts';

export type RoadNameResult =
  { ok: true; name: HostName } | { ok: false; say: HostNameProblem | 'foreign'; data: Record<string, string> };

/**
 * The full name of a road's key. A key that ends in one of `domains`, or with a dot, is the full name already; any
 * other is short and belongs to the first domain. A short key that ends like a public name of its own
 * (`photos.reedbad.example`) is refused: it would silently become `photos.reedbad.example.saltmarsh.example`. `others` is every
 * other name one label below the first domain, as `*.NAME`.
 *
 * @param domains comparable forms, at least one
 */
export function roadName(key: string, domains: readonly string[]): RoadNameResult {
  if (key === 'others') return otherNames(domains);
  const own = parseHostName(key);
  if (!own.ok) return { ok: false, say: own.problem, data: { name: key, text: own.text } };
  if (domains.some((domain) => isUnder(own.name.ascii, domain))) return own;
  const full = `${own.name.ascii}.${domains[0] ?? ''}`;
  if (looksForeign(key, own.name.ascii, domains)) {
    return {
      ok: false,
      say: 'foreign',
      data: { name: key, domains: domains.join(', '), full, near: nearWords(own.name.ascii, domains) },
    };
  }
  const whole = parseHostName(full);
  return whole.ok ? whole : { ok: false, say: whole.problem, data: { name: full, text: whole.text } };
}

function otherNames([first = '']: readonly string[]): RoadNameResult {
  const domain = parseHostName(first);
  if (!domain.ok) return { ok: false, say: domain.problem, data: { name: first, text: domain.text } };
  return { ok: true, name: { ascii: `*.${domain.name.ascii}`, unicode: `*.${domain.name.unicode}` } };
}

function looksForeign(key: string, ascii: string, domains: readonly string[]): boolean {
  if (key.endsWith('.')) return true;
  const labels = ascii.split('.');
  const top = labels[labels.length - 1];
  return labels.length > 1 && domains.some((domain) => domain.includes('.') && domain.split('.').pop() === top);
}

function nearWords(ascii: string, domains: readonly string[]): string {
  const labels = ascii.split('.');
  for (let from = 0; from < labels.length - 1; from += 1) {
    const near = nearest(labels.slice(from).join('.'), domains);
    if (near !== null) return `; did you mean ${near}?`;
  }
  return '';
}
