/** A folder or file of this host at the same place in the container, for reading alone. */
export function readOnly(path: string): string {
  return `${path}:${path}:ro`;
}

/** How the engine sees whether the front is well (Compose Specification, "healthcheck"). */
export function healthOf(test: readonly string[]): Record<string, unknown> {
  return { test, interval: '10s', timeout: '5s', retries: 3, start_period: '5s' };
}
