import { digestOf } from '../digest.ts';
import { defaultsName } from './front.ts';
import { ownHeader, section } from './quote.ts';

/** The section of a road, before anything of it stands elsewhere. */
export interface RoadSection {
  name: string;
  lines: readonly string[];
}

/** Lines that the sections of several roads have in common, by the name of the section of defaults in which they stand. */
export type Crowds = Map<string, readonly string[]>;

/** Read in the order of their names, so before the roads. */
export const crowdsPath = '01-crowds.cfg';

/** What a section of defaults cannot have (configuration manual §4.1). */
const ownWords = /^(?:server|use-server) /;

/**
 * Rules of a named section of defaults work before those of the sections that take it (`http-request`), and are kept once for all of them: ten thousand roads
 * that differ in their services alone are read in a third of the time.
 */
export function split({ name, lines }: RoadSection, crowds: Crowds): string[] {
  const own = lines.filter((line) => ownWords.test(line));
  const common = lines.filter((line) => !ownWords.test(line));
  const crowd = `${defaultsName}-${digestOf(common.join('\n'))}`;
  crowds.set(crowd, common);
  return section(`${name} from ${crowd}`, own);
}

export function crowdsFile(crowds: Crowds): string {
  const inOrder = [...crowds].sort(([a], [b]) => (a < b ? -1 : 1));
  return [
    `${ownHeader}: shared by roads that differ only in their services.`,
    '',
    ...inOrder.flatMap(([name, lines]) => section(`defaults ${name} from ${defaultsName}`, lines)),
  ].join('\n');
}
