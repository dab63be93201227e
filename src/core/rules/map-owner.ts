import { card, tell } from '../findings/card.ts';
import { programOf } from '../proxies/programs.ts';
import { shellWord } from '../shell-word.ts';
import type { Rule } from './rule.ts';

const trusted = card({
  id: 'map-owner-trusted',
  severity: 'note',
  summary: 'Whoever owns the map decides what a server reads that starts as root.',
  why: "The server's main process reads its configuration as root before it serves as another user. The written files belong to the owner of the map, who can change them at any time: he can have the server read any file of this machine, and some servers load programs.",
  source: 'docs/security.md',
  messages: {
    owner: {
      message:
        '{proxy} starts as root and reads files that `{owner}` may change, so `{owner}` has the rights of root here.',
      remedy:
        'If that is you, nothing is to be done. If not, give the map to root, so that only what root installs goes live: chown -R root: {folder}',
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
