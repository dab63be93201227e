import { composeCards } from '../inventory/compose-cards.ts';
import { engineUnanswered, machineUnanswered } from '../inventory/engine-card.ts';
import { accessCards } from '../legs/access.ts';
import { behindGateCards } from '../legs/behind-gate.ts';
import { bypassCards } from '../legs/bypass.ts';
import { bypassedCards } from '../legs/bypasses.ts';
import { dnsCards } from '../legs/dns.ts';
import { recordCards } from '../records/cards.ts';
import { frontCards } from '../legs/front-cards.ts';
import { edgeCards } from '../legs/edge.ts';
import { homeCards } from '../legs/home.ts';
import { openPortCards } from '../legs/open-ports.ts';
import { portCards } from '../legs/port.ts';
import { rawCards } from '../legs/raw.ts';
import { redirectCards } from '../legs/redirect.ts';
import { forgottenCards } from '../forgotten/forgotten.ts';
import { installedCards } from '../live/installed.ts';
import { runningCards } from '../legs/running.ts';
import { serviceCards } from '../legs/service-cards.ts';
import { serviceProofCards } from '../legs/service-proof.ts';
import { spellingCards } from '../legs/spelling.ts';
import { mapKeptCards } from '../legs/map-kept.ts';
import { passedOnCards } from '../legs/passed-on.ts';
import { thoroughCards } from '../legs/thorough.ts';
import { varyingCards } from '../legs/varying.ts';
import { tlsCards } from '../legs/tls-cards.ts';
import { uploadCards } from '../legs/uploads.ts';
import { websocketCards } from '../legs/websocket.ts';
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
