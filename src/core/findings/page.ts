import { allCards } from './all-cards.ts';

/** The page that lists every finding, made from the cards. */
export function findingsPage(): string {
  const parts = [...allCards]
    .sort((a, b) => (a.id < b.id ? -1 : 1))
    .map(({ id, severity, summary, why, source, messages }) => {
      const words = Object.values(messages).map(
        ({ message, remedy }) => `- ${escaped(message)}\n  *do:* ${escaped(remedy)}`,
      );
      return `## ${id}\n\n**${severity}.** ${summary} ${why}\n\nSource: ${source}.\n\n${words.join('\n')}\n`;
    });
  return `<!-- Made from the cards in src/core by \`npm run fix\`. Do not edit it here. -->\n\n# Findings\n\nEvery finding that Mile Marker can report, with its words. Ids keep their meaning for life.\n\n${parts.join('\n')}`;
}

function escaped(text: string): string {
  return text.replace(/[<*_]/g, '\\$&');
}
