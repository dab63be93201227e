import { sortFindings, tellOnce, type Finding } from '../findings/finding.ts';
import { frontWithoutAddress } from './front-without-address.ts';
import { defaultServerTaken, nameAlreadyServed, servedNotKnown } from './already-served.ts';
import { frontPortTaken, portTwoOwners } from './host-ports.ts';
import { noCertificate } from './no-certificate.ts';
import { notForTheWeb } from './not-for-the-web.ts';
import { portNotPublished } from './port-not-published.ts';
import { publishedToEveryone } from './published-to-everyone.ts';
import { redirectCircle, redirectNowhere, redirectToItself } from './redirects.ts';
import type { Facts, Rule } from './rule.ts';
import { serviceUnknown } from './service-unknown.ts';

/** Every rule of `check`. A new rule is one file and one line here. */
export const allRules: readonly Rule[] = [
  defaultServerTaken,
  frontPortTaken,
  frontWithoutAddress,
  nameAlreadyServed,
  noCertificate,
  notForTheWeb,
  portNotPublished,
  portTwoOwners,
  publishedToEveryone,
  redirectCircle,
  redirectNowhere,
  redirectToItself,
  servedNotKnown,
  serviceUnknown,
];

/** All findings of all rules, each cause told once, the worst first. */
export function runRules(facts: Facts): Finding[] {
  return sortFindings(tellOnce(allRules.flatMap((rule) => rule.check(facts))));
}
