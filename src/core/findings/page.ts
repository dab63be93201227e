import { allCards } from './all-cards.ts';

const idsALine = 4;

/** A list that may be long, with a few words on each line. */
function inLines(words: readonly string[]): string {
  const lines = [];
  for (let at = 0; at < words.length; at += idsALine) lines.push(words.slice(at, at + idsALine).join(', '));
  return lines.join(',\n');
}

/** The page that lists every finding, made from the cards. */
export function findingsPage(): string {
  const parts = [...allCards]
    .sort((a, b) => (a.id < b.id ? -1 : 1))
    .map(({ id, severity, summary, why, source, explains, messages }) => {
      const rest = inLines((explains ?? []).map((one) => `\`${one}\``));
      const follows = rest === '' ? '' : `\n\nNot shown beside it for the same road, because it causes them: ${rest}.`;
      const words = Object.values(messages).map(
        ({ message, remedy }) => `- ${escaped(message)}\n  *do:* ${escaped(remedy)}`,
      );
      return `## ${id}\n\n**${severity}.** ${summary} ${why}\n\nSource: ${source}.${follows}\n\n${words.join('\n')}\n`;
    });
  return `<!-- Made from src/core by \`npm run fix\`. Do not edit it here. -->\n\n# Findings\n\nEvery finding that Mile Marker can report, with its words. Ids keep their meaning for life.\n\n${parts.join('\n')}`;
}

/** What stands in backticks is shown as it is (CommonMark §6.1). */
function escaped(text: string): string {
  const parts = text.split(/(`[^`]*`)/);
  return parts.map((part) => (part.startsWith('`') ? part : part.replace(/[<*_]/g, '\\$&'))).join('');
}
