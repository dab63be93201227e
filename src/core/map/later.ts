import type { YamlText } from '../yaml/document.ts';
import { laterKeys } from './schema/describe.ts';
import type { MapLater } from './site-map.ts';

/** Gates whose meaning needs no password file and no list of its own. */
export const builtInGates: readonly string[] = ['everyone', 'home'];

/** Every key of the map that is read and checked but not carried out yet, in the order of the map. */
export function findLater(yaml: YamlText, fullName: (key: string) => string | null): MapLater[] {
  const roadOf = ([top, key = '']: readonly string[]): string | null => (top === 'roads' ? fullName(key) : null);
  const byKey = laterKeys(yaml.value).map(({ path, severity }) => ({
    key: path.join('.'),
    severity,
    road: roadOf(path),
    where: yaml.placeOfKey(path),
  }));
  return byKey.sort((a, b) => a.where.line - b.where.line);
}
