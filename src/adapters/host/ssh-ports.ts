import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const usualPort = 22;

/**
 * Ports that this machine's SSH server may be set to (sshd_config(5), `Port` and `ListenAddress`), else the usual one. Where the two differ all of them are
 * given: a port too many is a smaller harm than being locked out.
 */
export function sshPorts(folder = '/etc/ssh'): number[] {
  const texts = [join(folder, 'sshd_config'), ...included(join(folder, 'sshd_config.d'))].map(textOf);
  const lines = texts.flatMap((text) => text.split('\n'));
  const ports = lines.flatMap((line) => setting(/^\s*Port(?:\s*=\s*|\s+)"?(\d{1,5})"?(?:\s|$)/i, line));
  const listens = lines.flatMap((line) => setting(/^\s*ListenAddress(?:\s*=\s*|\s+)"?([^\s"]+)/i, line));
  const own = listens.map((address) => /^(?:\[.*\]|[^:]+):(\d{1,5})$/.exec(address)?.[1] ?? null);
  // One that names no port listens on those of `Port`.
  const usual = ports.length === 0 && (own.length === 0 || own.includes(null)) ? [usualPort] : [];
  const all = [...ports, ...own.filter((port) => port !== null)].map(Number);
  return [...new Set([...all, ...usual])].sort((a, b) => a - b);
}

function setting(form: RegExp, line: string): string[] {
  const found = form.exec(line)?.[1];
  return found === undefined ? [] : [found];
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
