import bcrypt from 'bcryptjs';

/** Servers hash anew for every request, so that more is no gain: at 12 eight logins held everybody up for two seconds. */
const costs = { least: 5, most: 8 } as const;

/** What one hash may take here, in milliseconds. A server's own code takes about half as long as this one. */
const targetMs = 20;

/** The cost at which a hash takes about as long as it may, measured on this machine, within bounds. */
export function chooseCost(): number {
  // The first run pays for the compiler.
  bcrypt.hashSync('a tern over the spit', 4);
  const begun = performance.now();
  for (let times = 0; times < 3; times += 1) bcrypt.hashSync('a tern over the spit', costs.least);
  const ms = (performance.now() - begun) / 3;
  const doublings = Math.floor(Math.log2(targetMs / ms));
  return Math.min(costs.most, Math.max(costs.least, costs.least + doublings));
}

/** A hash that every proxy verifies: `$2y$`, which is what htpasswd(1) writes and all of them read. */
export async function hashPassword(password: string, cost: number): Promise<string> {
  const hash = await bcrypt.hash(password, cost);
  return hash.replace(/^\$2b\$/, '$2y$');
}
