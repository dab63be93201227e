import { card, tell } from '../../findings/card.ts';
import { programOf } from '../../proxies/programs.ts';
import { shellWord } from '../../shell-word.ts';
import type { Rule } from '../rule.ts';

const trusted = card({
  id: 'map-owner-trusted',
  severity: 'note',
  summary: 'The owner of the map controls files that a root process reads.',
  why: 'The server reads its configuration as root. The owner of the map can change those files at any time, and so read any file of this machine through the server. Some servers also load programs.',
  source: 'docs/security.md',
  messages: {
    owner: {
      message:
        '{proxy} starts as root and reads files that `{owner}` may change, so `{owner}` effectively has root rights here.',
      remedy: 'If that is you, nothing needs doing. If not, give the map to root:  chown -R root: {folder}',
    },
  },
});

export const mapOwnerTrusted: Rule = {
  card: trusted,
  check: ({ plan, owner, files: { mapFolder } }) => {
    const { proxy, container } = plan.front;
    if (owner === null || container !== null || proxy === 'builtin') return [];
    const data = { proxy: programOf(proxy).title, owner, folder: shellWord(mapFolder) };
    return [tell(trusted, { say: 'owner', data, where: null, cause: 'map-owner' })];
  },
};
