import { systemResolver } from '../../adapters/dns/zone.ts';
import { hasSystemd, readUnit } from '../../adapters/host/units.ts';
import { tell } from '../../core/findings/card.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { renewalUntimed } from '../../core/live/installed.ts';
import { unitWord } from '../../core/unit-words.ts';
import { checkCaa } from '../dns/check-caa.ts';
import { dnsTimeoutMs } from '../dns/reader.ts';
import { readHeld, type Site } from '../map/load.ts';

/** Whether what the front shows will be renewed in time: that something does it by itself, and that nothing bars the authority, which is not asked. */
export async function judgeRenewal(site: Site): Promise<Finding[]> {
  const resolver = systemResolver();
  const caa = resolver === null ? [] : await checkCaa(site, { resolver, timeoutMs: dnsTimeoutMs });
  return [...(await untimed(site)), ...caa];
}

/** Certificates of an authority that lie here, and no timer of ours that renews them. Without systemd nobody can tell what crontab does. */
async function untimed({ plan, mapFile }: Site): Promise<Finding[]> {
  const held = readHeld(plan);
  const ours = plan.certificates.filter(({ from, id }) => from === 'acme' && (held.get(id) ?? null) !== null);
  if (ours.length === 0 || !hasSystemd()) return [];
  const unit = await readUnit('mile-marker-renew.service');
  const timer = await readUnit('mile-marker-renew.timer');
  if (timer !== null && unit?.includes(unitWord(mapFile)) === true) return [];
  return [tell(renewalUntimed, { say: 'nothing', data: { count: ours.length }, cause: 'renewal' })];
}
