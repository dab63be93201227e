import { composeCards } from '../inventory/compose-cards.ts';
import { engineUnanswered, machineUnanswered } from '../inventory/engine-card.ts';
import { accessCards } from '../legs/gate/access.ts';
import { behindGateCards } from '../legs/gate/behind-gate.ts';
import { bypassCards } from '../legs/gate/bypass.ts';
import { bypassedCards } from '../legs/gate/bypasses.ts';
import { dnsCards } from '../legs/way/dns.ts';
import { recordCards } from '../records/cards.ts';
import { frontCards } from '../legs/passing/front-cards.ts';
import { edgeCards } from '../legs/passing/edge.ts';
import { homeCards } from '../legs/way/home.ts';
import { openPortCards } from '../legs/gate/open-ports.ts';
import { portCards } from '../legs/way/port.ts';
import { rawCards } from '../legs/way/raw.ts';
import { redirectCards } from '../legs/way/redirect.ts';
import { forgottenCards } from '../forgotten/forgotten.ts';
import { installedCards } from '../live/installed.ts';
import { runningCards } from '../legs/way/running.ts';
import { serviceCards } from '../legs/service/service-cards.ts';
import { serviceProofCards } from '../legs/service/service-proof.ts';
import { spellingCards } from '../legs/gate/spelling.ts';
import { mapKeptCards } from '../legs/passing/map-kept.ts';
import { passedOnCards } from '../legs/passing/passed-on.ts';
import { thoroughCards } from '../legs/passing/thorough.ts';
import { varyingCards } from '../legs/passing/varying.ts';
import { tlsCards } from '../legs/tls/tls-cards.ts';
import { uploadCards } from '../legs/passing/uploads.ts';
import { websocketCards } from '../legs/passing/websocket.ts';
import { mapCards } from '../map/cards.ts';
import { allRules } from '../rules/all-rules.ts';
import type { Card } from './card.ts';

/** Every card there is: of the map's text, of Compose files, of `check`, and of the legs of `verify`. */
export const allCards: readonly Card[] = [
  ...mapCards,
  ...composeCards,
  engineUnanswered,
  machineUnanswered,
  ...allRules.map((rule) => rule.card),
  ...dnsCards,
  ...recordCards,
  ...portCards,
  ...rawCards,
  ...openPortCards,
  ...edgeCards,
  ...homeCards,
  ...runningCards,
  ...installedCards,
  ...forgottenCards,
  ...tlsCards,
  ...redirectCards,
  ...accessCards,
  ...behindGateCards,
  ...serviceCards,
  ...frontCards,
  ...serviceProofCards,
  ...spellingCards,
  ...varyingCards,
  ...thoroughCards,
  ...passedOnCards,
  ...mapKeptCards,
  ...uploadCards,
  ...websocketCards,
  ...bypassCards,
  ...bypassedCards,
];
