import { join, relative } from 'node:path';
import ts from 'typescript';

/**
 * Names out of answers, journals and labels go into paths only as types that were parsed (`core/outside/words.ts`). What else is joined to a folder is
 * listed here with where it comes from, so that a new place is looked at.
 */

const root = join(__dirname, '..');

/** How many names are joined in a file that are neither written in the code nor parsed, and where they come from. */
const known: Record<string, [count: number, from: string]> = {
  'adapters/acme/client.ts': [1, "the host of the map's own directory, its signs replaced"],
  'adapters/acme/kept.ts': [9, 'ids of certificates: of the map, or listed in the folder'],
  'adapters/certificates/complete.ts': [1, 'names that a listing of the folder has'],
  'adapters/certificates/store.ts': [3, 'numbers that were listed, and names of the code'],
  'adapters/engine/address.ts': [1, 'names of the code'],
  'adapters/files/bounds.ts': [1, 'a digest'],
  'adapters/files/editions.ts': [8, 'paths of files that a renderer made, and what was listed in the folder'],
  'adapters/files/identity.ts': [2, 'listed in the folder'],
  'adapters/files/kept-files.ts': [1, 'the name of the file itself'],
  'adapters/files/machines.ts': [1, 'a name of the map'],
  'adapters/files/safe-write.ts': [3, 'the name of the file itself, and names of the code'],
  'adapters/files/stack-files.ts': [2, 'paths of files that a renderer made'],
  'adapters/files/watched-files.ts': [1, 'named by the system, and only looked at'],
  'adapters/host/boot.ts': [3, 'listed in the folder'],
  'adapters/host/learn-address.ts': [1, "the map's own program"],
  'adapters/host/ssh-ports.ts': [1, 'listed in the folder'],
  'adapters/host/units.ts': [4, 'names of the code'],
  'adapters/proxies/adapter.ts': [1, 'a folder of PATH'],
  'adapters/proxies/free-name.ts': [1, 'names of the code'],
  'adapters/proxies/haproxy/challenges.ts': [2, 'listed in the folder'],
  'adapters/proxies/haproxy/read-files.ts': [1, 'listed in the folder'],
  'adapters/proxies/nginx/installed.ts': [2, "of the installed server's own configuration"],
  'adapters/rehearsal/sealed-network.ts': [1, 'names of the code'],
  'builtin/challenge.ts': [1, 'a name that is a road'],
  'builtin/folder.ts': [1, 'segments of a path that the verdict let pass'],
  'cli/load-compiled.ts': [1, 'a command of the code'],
  'cli/run/live/schedule.ts': [1, 'names of the code'],
  'cli/start.ts': [1, 'a command of the code'],
  'adapters/records/by-program.ts': [1, "the map's own program"],
  'use-cases/live/needs.ts': [1, 'the entry of a renderer'],
  'use-cases/live/try-change.ts': [2, 'names of the code'],
  'use-cases/live/write-notes.ts': [1, 'a name that the notes made a file name of'],
  'use-cases/map/forgotten.ts': [1, 'listed in the folder'],
  'use-cases/map/init.ts': [1, 'names of the code'],
  'use-cases/rehearsal/inside.ts': [4, 'paths of files that a renderer made'],
  'use-cases/rehearsal/play.ts': [1, 'segments of a path of the plan'],
  'use-cases/rehearsal/rehearse.ts': [1, 'names of the code'],
};

test('what is joined to a folder is written in the code, parsed, or known', () => {
  const { config } = ts.readConfigFile(join(root, 'tsconfig.json'), (path) => ts.sys.readFile(path)) as {
    config: unknown;
  };
  const parsed = ts.parseJsonConfigFileContent(config, ts.sys, root);
  const files = parsed.fileNames.filter((file) => file.includes('/src/'));
  const program = ts.createProgram(files, { ...parsed.options, noEmit: true, skipLibCheck: true });
  const checker = program.getTypeChecker();
  const isSafe = (argument: ts.Expression): boolean => {
    if (ts.isTemplateExpression(argument)) return argument.templateSpans.every(({ expression }) => isSafe(expression));
    const type = checker.getTypeAtLocation(argument);
    const parts = type.isUnion() ? type.types : [type];
    return parts.every(
      (one) =>
        one.isStringLiteral() ||
        one.isNumberLiteral() ||
        (one.flags & ts.TypeFlags.NumberLike) !== 0 ||
        // Parsed: a text with a mark that only its parser gives.
        (one.isIntersection() && one.types.some(({ flags }) => (flags & ts.TypeFlags.Object) !== 0)),
    );
  };
  const found = new Map<string, number>();
  const visit = (node: ts.Node, path: string): void => {
    if (ts.isCallExpression(node) && ts.isIdentifier(node.expression) && node.expression.text === 'join') {
      const [, ...names] = node.arguments;
      const open = names.filter((name) => !isSafe(name)).length;
      if (open > 0) found.set(path, (found.get(path) ?? 0) + open);
    }
    ts.forEachChild(node, (child) => visit(child, path));
  };
  for (const source of program.getSourceFiles()) {
    const path = relative(join(root, 'src'), source.fileName);
    if (!path.startsWith('..') && source.text.includes("from 'node:path'")) visit(source, path);
  }
  expect(Object.fromEntries([...found].sort())).toEqual(
    Object.fromEntries(Object.entries(known).map(([path, [count]]) => [path, count])),
  );
}, 60_000);
