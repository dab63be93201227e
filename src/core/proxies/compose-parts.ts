import type { Plan } from '../plan/plan.ts';

/** Everything in quotes: some readers take a plain 80:80 for a number in base sixty (YAML 1.1). */
export const quotedStyle = { lineWidth: 0, defaultStringType: 'QUOTE_DOUBLE', defaultKeyType: 'PLAIN' } as const;

/** A folder or file of this machine at the same place in the container, for reading alone. */
export function readOnly(path: string): string {
  return `${path}:${path}:ro`;
}

/**
 * Words that print what a plain URL answers, with what one image or another has: curl, wget, or a shell that opens connections by itself (bash(1),
 * "REDIRECTION").
 */
export function askWords(url: string): string {
  const { hostname, port, pathname } = new URL(url);
  const byShell = `exec 3<>/dev/tcp/${hostname}/${port} && printf "GET ${pathname} HTTP/1.0\\r\\nHost: ${hostname}\\r\\n\\r\\n" >&3 && sed "1,/^\\r*$/d" <&3 | grep .`;
  return `curl -fsS ${url} 2>/dev/null || wget -qO- ${url} 2>/dev/null || bash -c '${byShell}'`;
}

/** How the engine sees whether a front answers its mark, in an image without a program for it. */
export function markHealth({ front: { mark } }: Plan): Record<string, unknown> {
  return healthOf(['CMD-SHELL', askWords(`http://${mark.address}:${String(mark.port)}/mark`)]);
}

/** How the engine sees whether the front is well (Compose Specification, "healthcheck"). */
export function healthOf(test: readonly string[]): Record<string, unknown> {
  return { test, interval: '10s', timeout: '5s', retries: 3, start_period: '5s' };
}
