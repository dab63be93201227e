/** The first fault that haproxy found, without time and process number. */
export function reasonIn(err: string): string {
  const alert = /^\[ALERT\]\s+\(\d+\) : (?:config : )?(.+)$/m.exec(err)?.[1];
  return alert ?? (err.trim().split('\n')[0] || 'it gives no reason');
}
