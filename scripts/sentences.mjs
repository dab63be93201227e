// Prints every sentence of the program that a person may read, in a row, by the file where it stands (`npm run sentences > sentences.txt`): cards, errors,
// help, next steps, notes, comments in written files. Found by what it is, not by where it goes: text of three words or more.
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const files = readdirSync('src', { recursive: true })
  .map((name) => join('src', String(name)))
  .filter((name) => name.endsWith('.ts') && !name.startsWith(join('src', 'demo')))
  .sort();

/** A template as it stands, with `{…}` where it is filled. */
function textOf(node) {
  if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) return node.text;
  if (!ts.isTemplateExpression(node)) return null;
  return node.head.text + node.templateSpans.map(({ literal }) => `{…}${literal.text}`).join('');
}

const isSentence = (text) => (text.match(/\p{L}{2,}/gu) ?? []).length >= 3 && text.includes(' ');

let count = 0;
for (const file of files) {
  const source = ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true);
  const found = [];
  const visit = (node) => {
    if (ts.isImportDeclaration(node)) return;
    const text = textOf(node);
    if (text === null) ts.forEachChild(node, visit);
    else {
      if (isSentence(text)) found.push(text.trim());
      if (ts.isTemplateExpression(node)) node.templateSpans.forEach(({ expression }) => visit(expression));
    }
  };
  visit(source);
  count += found.length;
  if (found.length > 0) console.log(`\n== ${file}\n${found.join('\n')}`);
}
console.error(`${String(count)} sentences`);
