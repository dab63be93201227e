import { writtenNames } from '../../core/proxies/names.ts';
import { Command, InvalidArgumentError, Option } from 'commander';
import type { Severity } from '../../core/findings/finding.ts';

export function mapOption(): Option {
  return new Option(
    '--map <file>',
    'the map (default: MILE_MARKER_MAP, else mile-marker.yaml here or in a folder above, else /etc/mile-marker)',
  );
}

export function jsonOption(): Option {
  return new Option('--json', 'print one JSON document');
}

export function reloadOption(): Option {
  return new Option('--reload', 'reload the proxy, even if `install` was never run');
}

/** Beside it: what changes is live at once where `install` brought the front live. */
export function noReloadOption(): Option {
  // Without this default the library takes it for wished.
  return new Option('--no-reload', 'only change the files; do not make it live').default(null);
}

export function failOnOption(): Option {
  return new Option('--fail-on <severity>', 'lowest severity that makes the exit code 1')
    .choices(['error', 'warning', 'note'])
    .default('error' satisfies Severity);
}

/** Durations as in the map: a number with ms, s or m. */
export function parseDuration(text: string): number {
  const match = /^(\d+(?:\.\d+)?)(ms|s|m)$/.exec(text);
  const unit = { ms: 1, s: 1000, m: 60_000 }[match?.[2] ?? ''] ?? NaN;
  const value = Number(match?.[1]) * unit;
  if (!Number.isFinite(value) || value < 10 || value > 600_000)
    throw new InvalidArgumentError('Write a time such as 500ms, 5s or 1m.');
  return value;
}

export function parseCount(text: string): number {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 1 || value > 256)
    throw new InvalidArgumentError('Write a whole number from 1 to 256.');
  return value;
}

/** Whole or broken minutes, up to an hour. */
export function parseMinutes(text: string): number {
  const value = Number(text);
  if (!/^\d+(\.\d+)?$/.test(text) || value < 0.05 || value > 60)
    throw new InvalidArgumentError('Write a number of minutes up to 60.');
  return value;
}

export function collect(value: string, before: string[] | undefined): string[] {
  return [...(before ?? []), value];
}

export { Command };

/** In place of the proxy that the map says, to see what moving there changes. */
export function proxyOption(): Option {
  return new Option(
    '--proxy <name>',
    'for this proxy instead of the one on the map; also shows what changes for visitors',
  ).choices(writtenNames);
}

/** What a test of every night is told beforehand. @param part for the help of a command that has them for one of its forms */
export const nightNotify = (part: string): Option =>
  new Option(
    '--notify <word>',
    `${part}program to run when a nightly test finds something new, without a shell; repeat the option for each argument`,
  ).argParser(collect);

export const nightMailTo = (part: string): Option =>
  new Option(
    '--mail <address>',
    `${part}mail this address, or user of this machine, when a nightly test finds something new`,
  );

export const nightLogin = (part: string): Option =>
  new Option('--login <file>', `${part}a test login for gates with people, as \`verify\` takes it`);

export const nightTrust = (part: string): Option =>
  new Option('--trust <file>', `${part}also trust the authorities in this PEM file (may be repeated)`).argParser(
    collect,
  );
