import { statSync } from 'node:fs';

/** What takes longest begins first, or one worker would still be at it when all others have nothing left to do. */
const longest = [
  ...[
    'engine',
    'install',
    'hostile-maps',
    'cluster',
    'random-maps',
    'symptoms',
    'rehearse',
    'faults-network',
    'haproxy',
  ],
  ...['look-from-elsewhere', 'way-in', 'faults-own', 'behind-an-edge', 'many-roads', 'report', 'machines', 'follow'],
  ...['wildcards-and-challenges', 'faults-own-well', 'gates-and-rules', 'fronts-carry-bytes', 'obtain-interrupted'],
];

export default class Sequencer {
  sort(tests) {
    const rank = ({ path }) => {
      const place = longest.findIndex((name) => path.endsWith(`/${name}.test.ts`));
      return place === -1 ? longest.length : place;
    };
    return [...tests].sort((a, b) => rank(a) - rank(b) || statSync(b.path).size - statSync(a.path).size);
  }

  cacheResults() {}
}
