import { card, tell } from '../../findings/card.ts';
import { shellWord } from '../../shell-word.ts';
import type { Rule } from '../rule.ts';

const diskFull = card({
  id: 'disk-full',
  severity: 'error',
  summary: 'The disk of the map is full.',
  why: 'No certificate can be renewed and nothing can go live. A change that runs out of disk space is undone completely.',
  source: 'statvfs(3)',
  messages: {
    bytes: {
      message: 'The disk of {folder} has {free} left. A change that goes live needs {needed}.',
      remedy: 'Free some space. To see what uses it: du -xh {word} | sort -h | tail',
    },
    files: {
      message: 'The disk of {folder} has room for {free} more files. A change that goes live needs {needed}.',
      remedy: 'Remove files that are not needed there. Where they are: du -x --inodes {word} | sort -n | tail',
    },
  },
});

/** An edition, its certificates and the lines of the journals, of a large map. */
const [neededBytes, neededFiles] = [16 << 20, 200];

const inMegabytes = (bytes: number): string => `${(bytes / (1 << 20)).toFixed(1)} MiB`;

export const diskRoom: Rule = {
  card: diskFull,
  check: ({ room, files: { mapFolder: folder } }) => {
    if (room === null) return [];
    const { freeBytes, freeFiles } = room;
    const about = { where: null, cause: 'disk' };
    const shared = { folder, word: shellWord(folder) };
    if (freeBytes < neededBytes)
      return [
        tell(diskFull, {
          ...about,
          say: 'bytes',
          data: { ...shared, free: inMegabytes(freeBytes), needed: inMegabytes(neededBytes) },
        }),
      ];
    return freeFiles >= neededFiles
      ? []
      : [tell(diskFull, { ...about, say: 'files', data: { ...shared, free: freeFiles, needed: neededFiles } })];
  },
};
