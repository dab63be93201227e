import type { SiteMap } from '../map/site-map.ts';
import type { PlannedCertificate } from '../plan/plan.ts';

/** Whether browsers in general believe this certificate. */
export function isPublic(
  { acme }: Pick<SiteMap, 'acme'>,
  certificate: Pick<PlannedCertificate, 'from'> | undefined,
): boolean {
  if (certificate?.from === 'acme') return acme?.directory === 'production';
  return certificate?.from === 'files';
}
