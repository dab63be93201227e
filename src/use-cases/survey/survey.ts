import { listeningSockets } from '../../adapters/host/sockets.ts';
import { servedHere } from '../../adapters/proxies/adapters.ts';
import { Trouble } from '../../adapters/trouble.ts';
import type { Finding } from '../../core/findings/finding.ts';
import { portLedger, type LedgerRow } from '../../core/inventory/ledger.ts';
import { hostPortsOf } from '../../core/map/parts.ts';
import { makeSurvey, type Survey } from '../../core/survey/survey.ts';
import { proposeRoads, type PassedOver, type Proposal } from '../../core/survey/propose.ts';
import type { Served } from '../../core/rules/rule.ts';
import { loadSite, type Place, type Site } from '../map/load.ts';
import { takeInventory } from './take-inventory.ts';

/** @property site null when there is no map yet: then the engine alone was asked */
export interface SurveyResult {
  site: Site | null;
  asked: boolean;
  survey: Survey;
  proposals: Proposal[];
  passedOver: PassedOver[];
  served: Served[];
  ledger: LedgerRow[];
  findings: Finding[];
}

/** A map that is there and cannot be read. */
export interface UnreadMap {
  unread: Finding[];
  shownMap: string;
}

/**
 * Looks at everything that runs here and puts it beside the map.
 *
 * @throws Trouble of the engine (exit code 3): what runs is the one thing this is about
 */
export async function takeSurvey(mapOption: string | undefined, place: Place): Promise<SurveyResult | UnreadMap> {
  let site: Site | null = null;
  try {
    const loaded = await loadSite(mapOption, place);
    if (loaded.map === null) return { unread: loaded.findings, shownMap: loaded.shownMap };
    site = loaded;
  } catch (trouble) {
    if (!(trouble instanceof Trouble) || trouble.code !== 'map-not-found') throw trouble;
  }
  return site === null ? withoutMap(place) : withMap(site, place);
}

async function withMap(site: Site, { env }: Place): Promise<SurveyResult> {
  const { map, plan, inventory, front, engineTrouble } = site;
  if (engineTrouble !== null) throw engineTrouble;
  const served = await servedHere(env);
  const sockets = listeningSockets();
  const roadPorts = hostPortsOf(map);
  return {
    site,
    asked: inventory.asked,
    survey: makeSurvey({ site, inventory, front: front.service, sockets }),
    ...proposeRoads({ map, plan, inventory, front }),
    served,
    ledger: portLedger({ front: plan.front, rawPorts: plan.ports, roadPorts, services: inventory.services, sockets }),
    findings: site.findings,
  };
}

async function withoutMap({ cwd, env }: Place): Promise<SurveyResult> {
  const { inventory, findings, trouble } = await takeInventory({ map: null, mapFile: `${cwd}/none`, cwd, env });
  if (trouble !== null) throw trouble;
  return {
    site: null,
    asked: inventory.asked,
    survey: makeSurvey({ site: null, inventory, front: null, sockets: [] }),
    proposals: [],
    passedOver: [],
    served: await servedHere(env),
    ledger: portLedger({
      front: null,
      rawPorts: [],
      roadPorts: [],
      services: inventory.services,
      sockets: listeningSockets(),
    }),
    findings,
  };
}
