import { describedCommands, type DescribedCommand } from './described.ts';

/**
 * The manual page mile-marker(1), in the macros of man(7).
 *
 * @param version of this program
 */
export function manPage(version: string): string {
  const commands = describedCommands();
  return `${[
    `.TH MILE\\-MARKER 1 "" "Mile Marker ${text(version)}" "User Commands"`,
    '.SH NAME',
    'mile\\-marker \\- map subdomains to containerised services behind one public address, and check every road',
    '.SH SYNOPSIS',
    '.B mile\\-marker',
    '.I command',
    '.RI [ options ]',
    '.SH DESCRIPTION',
    ...lines(
      'One map says which name leads to which service. Mile Marker writes the reverse proxy’s configuration from it, brings it live, and tests every road from the name to the service.',
    ),
    '.PP',
    ...lines('Data goes to standard output, talk to standard error. With --json there is one document.'),
    '.SH COMMANDS',
    ...commands.flatMap(section),
    '.SH FILES',
    ...entry('mile-marker.yaml', 'the map: in this folder, one above, or /etc/mile-marker'),
    ...entry('.mile-marker/', 'beside the map: keys, certificates, written editions, journals'),
    '.SH ENVIRONMENT',
    ...entry('MILE_MARKER_MAP', 'the map, where --map does not say it'),
    ...entry('DOCKER_HOST', 'the container engine, where the map does not say it'),
    ...entry('NO_COLOR', 'no colour'),
    '.SH EXIT STATUS',
    ...entry('0', 'well'),
    ...entry('1', 'judged and found wrong'),
    ...entry('2', 'the map or the command line is wrong'),
    ...entry('3', 'this machine does not let it, or nothing could be judged'),
    ...entry('130', 'interrupted'),
  ].join('\n')}\n`;
}

function section({ usage, about, arguments: given, options, examples, exits, isGroup }: DescribedCommand): string[] {
  const shown = examples.flatMap(([line, purpose]) => [
    '.PP',
    ...lines(`${purpose}:`),
    '.RS',
    '.nf',
    `mile\\-marker ${text(line)}`,
    '.fi',
    '.RE',
  ]);
  return [
    `.SS ${text(`mile-marker ${usage}`)}`,
    ...lines(`${about}.`),
    ...given.flatMap((one) => entry(one.name, one.about)),
    ...options.flatMap(({ flags, about: says }) => entry(flags, says)),
    ...shown,
    ...(isGroup || exits.length === 0
      ? []
      : ['.PP', ...lines(`Exit codes: ${exits.map(([code, says]) => `${String(code)} ${says}`).join('; ')}.`)]),
  ];
}

function entry(term: string, about: string): string[] {
  return ['.TP', `.B ${text(term)}`, ...lines(about)];
}

/** What begins with a dot or an apostrophe would be an order. */
function lines(words: string): string[] {
  return [text(words).replace(/^([.'])/, '\\&$1')];
}

function text(words: string): string {
  return words.replaceAll('\\', '\\e').replaceAll('-', '\\-').replaceAll('’', "'");
}
