import type { YamlText } from '../yaml/document.ts';
import { laterKeys } from './schema/describe.ts';
import type { MapKeys } from './schema/map.ts';
import type { MapLater } from './site-map.ts';

/** Gates whose meaning needs no password file and no list of its own. */
export const builtInGates: readonly string[] = ['everyone', 'home'];

/** Every key of the map that is read and checked but not carried out yet, in the order of the map. */
export function findLater(keys: MapKeys, yaml: YamlText, fullName: (key: string) => string | null): MapLater[] {
  const roadOf = ([top, key = '']: readonly string[]): string | null => (top === 'roads' ? fullName(key) : null);
  const byKey = laterKeys(yaml.value).map(({ path, severity }) => ({
    key: path.join('.'),
    severity,
    road: roadOf(path),
    where: yaml.placeOfKey(path),
  }));
  return [...byKey, ...byValue(keys, yaml, roadOf)].sort((a, b) => a.where.line - b.where.line);
}

/** Keys that are carried out for some values only. */
function byValue(keys: MapKeys, yaml: YamlText, roadOf: (path: readonly string[]) => string | null): MapLater[] {
  const paths: string[][] = [];
  if (keys.front.proxy !== 'builtin' && keys.front.proxy !== 'nginx') paths.push(['front', 'proxy']);
  return paths.map((path) => ({
    key: path.join('.'),
    severity: 'error',
    road: roadOf(path),
    where: yaml.placeOfKey(path),
  }));
}
