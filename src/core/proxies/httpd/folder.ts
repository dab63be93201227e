import { contentTypes, unknownType } from '../../names/content-types.ts';
import { noFile, escapePattern } from '../pattern.ts';
import type { WrittenFile } from '../renderer.ts';
import { toNothing } from './answers.ts';
import {
  comment,
  escapeSubstitution,
  ownHeader,
  quote,
  quoteRewrite,
  rewrite,
  section,
  type Conditions,
} from './quote.ts';

/** Beside the entry file: what files are, by extension. */
const typesFile = 'types.conf';

export function typesFiles(): WrittenFile[] {
  const byType = new Map<string, string[]>();
  for (const [extension, type] of Object.entries(contentTypes))
    byType.set(type, [...(byType.get(type) ?? []), extension]);
  const lines = [...byType].flatMap(([type, extensions]) =>
    section('FilesMatch', quote(`\\.(?:${extensions.map(escapePattern).join('|')})$`), [`ForceType ${quote(type)}`]),
  );
  return [
    {
      path: typesFile,
      content: [`${ownHeader}: types of files.`, `ForceType ${unknownType}`, ...lines, ''].join('\n'),
    },
  ];
}

/** The file that a target asks for; a path that none can have, and one behind a link, has none. */
export function folderRules(path: string, current: string, when: Conditions): string[] {
  const folder = escapeSubstitution(path);
  const isPage: Conditions = [...when, ['%{REQUEST_URI}', '/$']];
  return [
    ...noFile('.').flatMap((pattern) => toNothing(current, [...when, ['%{ENV:mm_path}', pattern, 'NC']])),
    comment('Links are refused, so that none leads out of the folder.'),
    ...toNothing(current, [...isPage, [`${folder}%{REQUEST_URI}index.html`, '!-F']]),
    ...rewrite(isPage, quoteRewrite(`${folder}$1index.html`), 'L', '^(.*)$'),
    ...toNothing(current, [...when, [`${folder}%{REQUEST_URI}`, '!-F']]),
    ...rewrite(when, quoteRewrite(`${folder}$1`), 'L', '^(.*)$'),
  ];
}

export function folderSections(path: string, current: string): string[] {
  return section('Directory', quote(path), [
    'AllowOverride None',
    'Options None',
    'Require all granted',
    'SetHandler default-handler',
    'DirectoryIndex disabled',
    'DirectorySlash Off',
    'MaxRanges 1',
    `Include ${quote(`${current}/${typesFile}`)}`,
  ]);
}

/** After the gate. @param authority as a format of mod_rewrite */
export function folderAnswers(authority: string, scheme: string, when: Conditions): string[] {
  return [
    ...rewrite([...when, ['%{REQUEST_METHOD}', '!^(?:GET|HEAD)$']], '-', 'R=405,L'),
    comment('Adds the slash after a folder; relative links need it.'),
    ...rewrite([...when, ['%{REQUEST_FILENAME}', '-d']], `${scheme}://${authority}%{ENV:mm_path}/`, 'R=307,NE,L'),
  ];
}
