import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const usualPort = 22;

/** Ports that this machine's SSH server is set to (sshd_config(5), `Port`), else the usual one. */
export function sshPorts(folder = '/etc/ssh'): number[] {
  const texts = [join(folder, 'sshd_config'), ...included(join(folder, 'sshd_config.d'))].map(textOf);
  const ports = texts.flatMap((text) =>
    [...text.matchAll(/^\s*Port\s+(\d{1,5})\s*$/gim)].map((match) => Number(match[1])),
  );
  return ports.length === 0 ? [usualPort] : [...new Set(ports)].sort((a, b) => a - b);
}

function included(folder: string): string[] {
  try {
    return readdirSync(folder)
      .filter((name) => name.endsWith('.conf'))
      .map((name) => join(folder, name));
  } catch {
    return [];
  }
}

function textOf(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return '';
  }
}
