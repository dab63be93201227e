import { sortFindings, tellOnce, type Finding } from '../findings/finding.ts';
import { frontWithoutAddress } from './front/front-without-address.ts';
import { defaultServerTaken, identityShared, nameAlreadyServed, servedNotKnown } from './front/already-served.ts';
import { certificateForPractice } from './names/certificate-for-practice.ts';
import { certificateNotForRoad } from './names/certificate-not-for-road.ts';
import { frontNotAtBoot, noRestartPolicy } from './services/after-reboot.ts';
import {
  bridgeAddress,
  frontContainerUnknown,
  hostNetwork,
  loopbackInContainer,
  nameAnsweredTwice,
  noSharedNetwork,
} from './services/container-networks.ts';
import { roadInClearText } from './roads/clear-text.ts';
import { roadContradicts } from './roads/contradictions.ts';
import { diskRoom } from './front/disk-room.ts';
import { domainMisspelt } from './names/domain-spelling.ts';
import { mapOwnerTrusted } from './front/map-owner.ts';
import { updateKeyUnreadable } from './names/update-key.ts';
import { edgeHeaderAppended, edgeHoldsVisitors, edgeRedirectLoop } from './front/edge.ts';
import { folderNotShown } from './roads/folders.ts';
import {
  gateIncludesContainers,
  gateIncludesRouter,
  gateMissesIpv6,
  gateWithoutHome,
  trueClientAddressLost,
} from './gates/gate-networks.ts';
import { gateAsksItself, gateAsksNobody } from './gates/gate-asks.ts';
import { devicesBehindEdge, devicesFaulty } from './gates/gate-devices.ts';
import { gateNobodyPasses, gateOpenToEverybody, gateWithoutEffect } from './gates/gates.ts';
import { hstsLocksOut, hstsRemembered } from './roads/hsts.ts';
import { frontPortTaken, portTwoOwners } from './services/host-ports.ts';
import { homeIsEmpty, homeOtherPort } from './gates/home.ts';
import { labelNotObeyed } from './roads/labels.ts';
import { certificateFaulty, noCertificate } from './names/no-certificate.ts';
import { machineEngineOpen, machineInClearText } from './services/machines.ts';
import { nameNotIssued } from './names/name-not-issued.ts';
import { clusterNoTask, clusterNodeAway, clusterPortOpen, clusterTaskFailing } from './services/cluster.ts';
import { frontAddressesFew, frontNodeAway, frontNodeUnknown, frontNotForCluster } from './front/cluster-front.ts';
import { composeNotApplied } from './front/not-applied.ts';
import { notForTheWeb } from './services/not-for-the-web.ts';
import { noWayIn } from './front/no-way-in.ts';
import { consoleOpen } from './services/open-consoles.ts';
import { peopleFileFaulty } from './gates/people-files.ts';
import { frontFilesBarred, pageNotShown } from './roads/pages.ts';
import { proxyCannot } from './front/proxy-cannot.ts';
import { proxyTooOld } from './front/proxy-version.ts';
import { portNotPublished } from './services/port-not-published.ts';
import { publishedToEveryone } from './services/published-to-everyone.ts';
import { redirectCircle, redirectNowhere, redirectToItself } from './roads/redirects.ts';
import type { Facts, Rule } from './rule.ts';
import { serviceRestarting, serviceStopped, serviceUnhealthy } from './services/service-state.ts';
import { serviceNotListening } from './services/not-listening.ts';
import { serviceUnknown } from './services/service-unknown.ts';
import { upstreamUnproven } from './services/upstream-proof.ts';
import { containerWithoutRoad } from './services/without-road.ts';
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
  devicesBehindEdge,
  devicesFaulty,
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
