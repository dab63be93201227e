import { sortFindings, tellOnce, type Finding } from '../findings/finding.ts';
import { frontWithoutAddress } from './front-without-address.ts';
import { defaultServerTaken, nameAlreadyServed, servedNotKnown } from './already-served.ts';
import { certificateNotForRoad } from './certificate-not-for-road.ts';
import { frontNotAtBoot, noRestartPolicy } from './after-reboot.ts';
import {
  bridgeAddress,
  frontContainerUnknown,
  hostNetwork,
  loopbackInContainer,
  noSharedNetwork,
} from './container-networks.ts';
import { edgeRedirectLoop } from './edge.ts';
import { frontPortTaken, portTwoOwners } from './host-ports.ts';
import { mapKeyLater } from './map-key-later.ts';
import { certificateFaulty, noCertificate } from './no-certificate.ts';
import { composeNotApplied } from './not-applied.ts';
import { notForTheWeb } from './not-for-the-web.ts';
import { noWayIn } from './no-way-in.ts';
import { portNotPublished } from './port-not-published.ts';
import { publishedToEveryone } from './published-to-everyone.ts';
import { redirectCircle, redirectNowhere, redirectToItself } from './redirects.ts';
import type { Facts, Rule } from './rule.ts';
import { serviceRestarting, serviceStopped, serviceUnhealthy } from './service-state.ts';
import { serviceUnknown } from './service-unknown.ts';
import { containerWithoutRoad } from './without-road.ts';

/** Every rule of `check`. A new rule is one file and one line here. */
export const allRules: readonly Rule[] = [
  bridgeAddress,
  certificateFaulty,
  certificateNotForRoad,
  composeNotApplied,
  containerWithoutRoad,
  defaultServerTaken,
  edgeRedirectLoop,
  frontContainerUnknown,
  frontNotAtBoot,
  frontPortTaken,
  frontWithoutAddress,
  hostNetwork,
  loopbackInContainer,
  mapKeyLater,
  nameAlreadyServed,
  noCertificate,
  noRestartPolicy,
  noSharedNetwork,
  notForTheWeb,
  noWayIn,
  portNotPublished,
  portTwoOwners,
  publishedToEveryone,
  redirectCircle,
  redirectNowhere,
  redirectToItself,
  servedNotKnown,
  serviceRestarting,
  serviceStopped,
  serviceUnhealthy,
  serviceUnknown,
];

/** All findings of all rules, each cause told once, the worst first. */
export function runRules(facts: Facts): Finding[] {
  return sortFindings(tellOnce(allRules.flatMap((rule) => rule.check(facts))));
}
