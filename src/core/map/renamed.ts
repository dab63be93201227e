import { tell } from '../findings/card.ts';
import type { Finding } from '../findings/finding.ts';
import type { YamlText } from '../yaml/document.ts';
import { mapKeyUnknown, mapValueWrong } from './cards.ts';

/** A key that had another name before, with the line to write instead; null when it never was one. */
export function renamedKey(path: readonly PropertyKey[], key: string, yaml: YamlText): Finding | null {
  if (path.join('.') !== 'front' || key !== 'runs-on') return null;
  const { value } = yaml;
  const written = (value as { front?: { 'runs-on'?: unknown } }).front?.['runs-on'];
  const container =
    typeof written === 'object' && written !== null && 'container' in written ? written.container : null;
  const where = yaml.placeOfKey([...path, key]);
  const data = { key, parent: 'front', container: typeof container === 'string' ? container : 'NAME' };
  return tell(mapKeyUnknown, { say: written === 'host' ? 'runs-on-host' : 'runs-on', data, where });
}

/** A value that was written in another form before; null when it never was right. */
export function renamedValue(path: readonly PropertyKey[], text: string, yaml: YamlText): Finding | null {
  const digest = /^sha256\/([A-Za-z0-9+/]{43}=)$/.exec(text)?.[1];
  if (path[path.length - 1] !== 'upstream-pin' || digest === undefined) return null;
  return tell(mapValueWrong, { say: 'pin-form', data: { key: path.join('.'), digest }, where: yaml.placeOf(path) });
}
