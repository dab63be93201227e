import { sortFindings, tellOnce, type Finding } from '../findings/finding.ts';
import { frontWithoutAddress } from './front-without-address.ts';
import { defaultServerTaken, identityShared, nameAlreadyServed, servedNotKnown } from './already-served.ts';
import { certificateForPractice } from './certificate-for-practice.ts';
import { certificateNotForRoad } from './certificate-not-for-road.ts';
import { frontNotAtBoot, noRestartPolicy } from './after-reboot.ts';
import {
  bridgeAddress,
  frontContainerUnknown,
  hostNetwork,
  loopbackInContainer,
  nameAnsweredTwice,
  noSharedNetwork,
} from './container-networks.ts';
import { roadInClearText } from './clear-text.ts';
import { roadContradicts } from './contradictions.ts';
import { diskRoom } from './disk-room.ts';
import { domainMisspelt } from './domain-spelling.ts';
import { mapOwnerTrusted } from './map-owner.ts';
import { updateKeyUnreadable } from './update-key.ts';
import { edgeHeaderAppended, edgeHoldsVisitors, edgeRedirectLoop } from './edge.ts';
import { folderNotShown } from './folders.ts';
import {
  gateIncludesContainers,
  gateIncludesRouter,
  gateMissesIpv6,
  gateWithoutHome,
  trueClientAddressLost,
} from './gate-networks.ts';
import { gateAsksItself, gateAsksNobody } from './gate-asks.ts';
import { gateNobodyPasses, gateOpenToEverybody, gateWithoutEffect } from './gates.ts';
import { hstsLocksOut, hstsRemembered } from './hsts.ts';
import { frontPortTaken, portTwoOwners } from './host-ports.ts';
import { homeIsEmpty, homeOtherPort } from './home.ts';
import { labelNotObeyed } from './labels.ts';
import { certificateFaulty, noCertificate } from './no-certificate.ts';
import { machineEngineOpen, machineInClearText } from './machines.ts';
import { nameNotIssued } from './name-not-issued.ts';
import { clusterNoTask, clusterNodeAway, clusterPortOpen, clusterTaskFailing } from './cluster.ts';
import { frontAddressesFew, frontNodeAway, frontNodeUnknown, frontNotForCluster } from './cluster-front.ts';
import { composeNotApplied } from './not-applied.ts';
import { notForTheWeb } from './not-for-the-web.ts';
import { noWayIn } from './no-way-in.ts';
import { consoleOpen } from './open-consoles.ts';
import { peopleFileFaulty } from './people-files.ts';
import { frontFilesBarred, pageNotShown } from './pages.ts';
import { proxyCannot } from './proxy-cannot.ts';
import { proxyTooOld } from './proxy-version.ts';
import { portNotPublished } from './port-not-published.ts';
import { publishedToEveryone } from './published-to-everyone.ts';
import { redirectCircle, redirectNowhere, redirectToItself } from './redirects.ts';
import type { Facts, Rule } from './rule.ts';
import { serviceRestarting, serviceStopped, serviceUnhealthy } from './service-state.ts';
import { serviceNotListening } from './not-listening.ts';
import { serviceUnknown } from './service-unknown.ts';
import { upstreamUnproven } from './upstream-proof.ts';
import { containerWithoutRoad } from './without-road.ts';
import { indexed } from '../indexed.ts';

/** Every rule of `check`. A new rule is one file and one line here. */
export const allRules: readonly Rule[] = [
  bridgeAddress,
  certificateFaulty,
  certificateForPractice,
  certificateNotForRoad,
  clusterNoTask,
  clusterNodeAway,
  clusterPortOpen,
  clusterTaskFailing,
  composeNotApplied,
  consoleOpen,
  containerWithoutRoad,
  defaultServerTaken,
  diskRoom,
  mapOwnerTrusted,
  domainMisspelt,
  updateKeyUnreadable,
  edgeHeaderAppended,
  edgeHoldsVisitors,
  edgeRedirectLoop,
  folderNotShown,
  frontAddressesFew,
  frontContainerUnknown,
  frontFilesBarred,
  frontNodeAway,
  frontNodeUnknown,
  frontNotForCluster,
  frontNotAtBoot,
  frontPortTaken,
  frontWithoutAddress,
  gateIncludesContainers,
  gateIncludesRouter,
  gateMissesIpv6,
  gateAsksItself,
  gateAsksNobody,
  gateNobodyPasses,
  gateOpenToEverybody,
  gateWithoutEffect,
  gateWithoutHome,
  hostNetwork,
  hstsLocksOut,
  hstsRemembered,
  identityShared,
  labelNotObeyed,
  loopbackInContainer,
  machineEngineOpen,
  machineInClearText,
  nameAlreadyServed,
  nameAnsweredTwice,
  nameNotIssued,
  noCertificate,
  noRestartPolicy,
  noSharedNetwork,
  notForTheWeb,
  noWayIn,
  homeIsEmpty,
  homeOtherPort,
  pageNotShown,
  peopleFileFaulty,
  portNotPublished,
  proxyCannot,
  proxyTooOld,
  portTwoOwners,
  publishedToEveryone,
  redirectCircle,
  redirectNowhere,
  redirectToItself,
  roadContradicts,
  roadInClearText,
  servedNotKnown,
  serviceNotListening,
  serviceRestarting,
  serviceStopped,
  serviceUnhealthy,
  serviceUnknown,
  trueClientAddressLost,
  upstreamUnproven,
];

/** All findings of all rules, each cause told once, the worst first. */
export function runRules(facts: Facts): Finding[] {
  const findings = tellOnce(allRules.flatMap((rule) => rule.check(facts)));
  return sortFindings(findings.filter((finding) => !isMeantSo(finding, facts)));
}

/** A person has said of every road concerned that it is meant so. Errors are told all the same: something does not work. */
function isMeantSo({ rule, severity, roads }: Finding, { map }: Facts): boolean {
  if (severity === 'error' || roads.length === 0) return false;
  return roads.every((name) => indexed(map.roads, 'name').get(name)?.rules.meantSo.includes(rule) === true);
}
