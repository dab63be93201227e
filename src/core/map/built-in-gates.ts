/** Gates whose meaning needs no password file and no list of its own. */
export const builtInGates: readonly string[] = ['everyone', 'home'];
