import { filesOf } from '../../gates/check.ts';
import { nameProblem } from '../../people/password-file.ts';
import type { Plan } from '../../plan/plan.ts';
import type { Placement, WrittenFile } from '../renderer.ts';
import { comment, ownHeader, quote, section } from './quote.ts';

/** The people of the gates stand in haproxy's own configuration (manual §12.1), so a change of theirs is a change of the front's. */
export function peopleFile({ roads }: Plan, { people }: Pick<Placement, 'people'>): WrittenFile[] {
  const files = new Set(roads.flatMap(({ gate }) => filesOf(gate)));
  if (files.size === 0) return [];
  const lists = [...files].sort().flatMap((file) =>
    section(`userlist ${peopleList(file)}`, [
      comment(file),
      // Nobody can say such a name (RFC 7617 §2), and no line of a configuration can hold it.
      ...people(file)
        .filter(({ name }) => nameProblem(name) === null)
        .map(({ name, hash }) => `user ${quote(name)} password ${quote(hash)}`),
    ]),
  );
  return [
    {
      path: '01-people.cfg',
      content: [`${ownHeader}: people and the hashes of their passwords.`, ...lists].join('\n'),
      secret: true,
    },
  ];
}

/** Made of the path alone (FNV-1a, 32 bits): a road's page must not change with other files. */
export function peopleList(file: string): string {
  let hash = 0x811c9dc5;
  for (const byte of new TextEncoder().encode(file)) hash = Math.imul(hash ^ byte, 0x01000193) >>> 0;
  return `mile-marker-people-${hash.toString(16).padStart(8, '0')}`;
}
