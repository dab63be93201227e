/**
 * One entry of a service's `ports` as it is written, bound to loopback: the line to write in its place. Variables in it
 * stay as they are. The long syntax says it in a key of its own.
 */
export function onLoopback(written: string): string {
  const bare = written.replace(/^(["'])(.*)\1$/, '$2');
  if (/(^|[\s{,])target:/.test(bare)) return 'host_ip: 127.0.0.1';
  const short = bare.replace(/^(0\.0\.0\.0|\[::\]|::):/, '');
  const insideOnly = !short.replace(/\$\{[^}]*\}/g, '').includes(':');
  return `- "127.0.0.1:${insideOnly ? ':' : ''}${short}"`;
}
