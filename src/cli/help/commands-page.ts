import { describedCommands, type DescribedCommand } from './described.ts';

/** `docs/commands.md`: every command with its options, examples and exit codes. */
export function commandsPage(): string {
  const head = `# Commands

Made from the definitions of the commands by \`npm run fix\`; \`mile-marker COMMAND --help\` says the same. Data goes to stdout, talk to stderr. \`--json\` prints one document, whose schema is in [documents/](documents/).
`;
  return `${head}\n${describedCommands().map(section).join('\n')}`;
}

function section({ name, usage, about, arguments: given, options, examples, exits }: DescribedCommand): string {
  const lines = [
    ...given.map((one) => `- \`${one.name}\`: ${escaped(one.about)}`),
    ...options.map(({ flags, about: says }) => `- \`${flags}\`: ${escaped(says)}`),
  ];
  const shown = examples.map(([line, purpose]) => `mile-marker ${line} # ${purpose}\n`).join('');
  const codes = exits.map(([code, says]) => `${String(code)} ${says}`).join(' · ');
  return [
    `## ${name}\n`,
    `\`mile-marker ${usage}\`\n`,
    `${capital(escaped(about))}.\n`,
    ...(lines.length === 0 ? [] : [`${lines.join('\n')}\n`]),
    ...(shown === '' ? [] : [`\`\`\`sh\n${shown}\`\`\`\n`]),
    ...(codes === '' ? [] : [`Exit codes: ${codes}\n`]),
  ].join('\n');
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** Angle brackets would be taken for markup. */
function escaped(text: string): string {
  return text.replaceAll('<', '&lt;');
}
