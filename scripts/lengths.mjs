// Prints how long files and functions are, in lines: median, ninth decile and longest, of src and test, and what share of the code the
// tests are. Another folder with the same layout may be given, to hold one against the other: npm run lengths -- ../before
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const [root = '.'] = process.argv.slice(2);
const measured = ['src', 'test'].map((folder) => ({ folder, ...measure(join(root, folder)) }));
for (const { folder, files, functions } of measured) {
  console.log(`${folder.padEnd(5)} files      ${words(files)}`);
  console.log(`${folder.padEnd(5)} functions  ${words(functions)}`);
}
const [src, test] = measured.map(({ files }) => files.reduce((sum, lines) => sum + lines, 0));
console.log(`tests are ${((100 * test) / (src + test)).toFixed(1)} % of ${src + test} lines`);

function measure(folder) {
  const paths = readdirSync(folder, { recursive: true }).filter((path) => path.endsWith('.ts'));
  const functions = [];
  const files = paths.map((path) => {
    const text = readFileSync(join(folder, path), 'utf8');
    const source = ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true);
    const lineAt = (position) => source.getLineAndCharacterOfPosition(position).line;
    const visit = (node) => {
      if (ts.isFunctionLike(node) && 'body' in node && node.body)
        functions.push(lineAt(node.end) - lineAt(node.getStart()) + 1);
      ts.forEachChild(node, visit);
    };
    visit(source);
    return lineAt(text.length);
  });
  return { files, functions };
}

function words(lengths) {
  const sorted = [...lengths].sort((a, b) => a - b);
  const at = (share) => String(sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))]).padStart(4);
  return `${String(sorted.length).padStart(5)}  median ${at(0.5)}  p90 ${at(0.9)}  longest ${at(1)}`;
}
