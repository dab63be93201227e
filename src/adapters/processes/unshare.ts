/**
 * Words before a command by which it gets namespaces of its own (unshare(1)). An ordinary user has them through a user namespace.
 *
 * @param flags which ones, such as `--mount`
 */
export function unshareWords(...flags: string[]): string[] {
  const asRoot = process.getuid?.() === 0 ? [] : ['--user', '--map-root-user'];
  return ['unshare', ...asRoot, ...flags, '--'];
}
