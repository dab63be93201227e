import { networksOf } from '../gates/check.ts';
import { inUrl, isPrivate, withPort } from '../networks/address.ts';
import type { Plan, PlannedPart, PlannedRoad } from '../plan/plan.ts';
import { decide } from '../verdict/decide.ts';
import { requestFrom, strangerTo } from '../verdict/exposure.ts';
import type { Prepared } from '../verdict/verdict.ts';
import { isRedirect } from './answer.ts';
import type { DirectEvidence } from './service/direct.ts';
import { expectedOf, targetOf } from './targets.ts';

/** A link to open on a phone, and what must be seen there. @property on with which connection */
export interface PhoneLink {
  url: string;
  on: 'mobile data' | 'Wi-Fi at home';
  see: string;
}

/**
 * What to open on a phone with Wi-Fi off, and where a gate lets home in, once more at home: the one place from which no machine of yours can look.
 *
 * @param directs what the services answer when asked directly, by the part of their road
 * @param published ports at which services answer on this machine beside the front
 */
export function phoneLinks(
  prepared: Prepared,
  roads: readonly PlannedRoad[],
  directs: ReadonlyMap<PlannedPart, DirectEvidence>,
  published: readonly number[],
): PhoneLink[] {
  const { plan } = prepared;
  const stranger = strangerTo(plan);
  const perRoad = roads.flatMap((road): PhoneLink[] =>
    [...road.parts].reverse().flatMap((part) => linksOf(prepared, road, part, stranger, directs)),
  );
  const [first] = roads;
  const plain: PhoneLink[] =
    first === undefined || first.rules.plain
      ? []
      : [
          {
            url: `http://${plainAuthority(plan, first)}/`,
            on: 'mobile data',
            see: 'goes to https:// by itself',
          },
        ];
  return [...perRoad, ...plain, ...waysRound(plan, [...new Set(published)])];
}

function linksOf(
  prepared: Prepared,
  road: PlannedRoad,
  part: PlannedPart,
  stranger: string,
  directs: ReadonlyMap<PlannedPart, DirectEvidence>,
): PhoneLink[] {
  const url = `https://${road.authority}${targetOf(road, part)}`;
  const seen = (peer: string): string => seenFrom(prepared, road, part, peer, directs);
  const links: PhoneLink[] = [{ url, on: 'mobile data', see: seen(stranger) }];
  const near = networksOf(road.gate);
  const home = near
    .map((network) => network.split('/')[0] ?? '')
    .find((address) => address !== '' && !/^(127\.|::1$)/.test(address));
  if (home !== undefined && !road.paused) links.push({ url, on: 'Wi-Fi at home', see: seen(home) });
  return links;
}

/** What must not be there. A phone outside cannot try an address of home. */
function waysRound(plan: Plan, ports: readonly number[]): PhoneLink[] {
  const address = plan.front.addresses.find((one) => !isPrivate(one));
  if (address === undefined) return [];
  const on = 'mobile data';
  const bare = plan.front.ports.http === 80 ? inUrl(address) : withPort(address, plan.front.ports.http);
  return [
    { url: `http://${bare}/`, on, see: strangersSee(plan) },
    ...ports.map((port) => ({
      url: `http://${withPort(address, port)}/`,
      on: 'mobile data' as const,
      see: 'no page at all',
    })),
  ];
}

function plainAuthority({ front }: Plan, { name }: PlannedRoad): string {
  return front.ports.http === 80 ? name : `${name}:${String(front.ports.http)}`;
}

function seenFrom(
  prepared: Prepared,
  road: PlannedRoad,
  part: PlannedPart,
  peer: string,
  directs: ReadonlyMap<PlannedPart, DirectEvidence>,
): string {
  const verdict = decide(
    prepared,
    requestFrom({ label: '', peer, person: null, knownIn: [] }, road, targetOf(road, part)),
  );
  if (verdict.act === 'ask') return `a sign-in page, then ${behindGate(road, part, directs.get(part))}`;
  const asks = verdict.act === 'answer' && verdict.status === 401;
  const behind = behindGate(road, part, directs.get(part));
  if (road.paused) return '503: the road is paused';
  if (asks) return `a login prompt, then ${behind}`;
  if (verdict.act === 'answer' && verdict.status === 403) return 'refused (403)';
  return behind;
}

const servicesPage = "the service's page";

function behindGate(road: PlannedRoad, part: PlannedPart, direct: DirectEvidence | undefined): string {
  const { leads } = part;
  const expected = expectedOf(road, part)?.text ?? null;
  if (expected !== null) return `a page with "${expected}"`;
  if (leads.kind === 'redirect') return `goes to ${leads.url}`;
  if (leads.kind === 'folder') return 'the page of your folder';
  if (direct === undefined && leads.upstream !== null) return servicesPage;
  if (direct?.answer.ok !== true) return 'an error: the service does not answer now';
  const { title, status } = direct.answer.value;
  if (title !== null) return `the page "${title}"`;
  if (isRedirect(status)) return servicesPage;
  return `${String(status)} from the service`;
}

function strangersSee({ front: { unknown } }: Plan): string {
  if (unknown.act === 'refuse') return 'no page: the connection closes';
  return unknown.act === 'not-found' ? '404, none of your pages' : 'goes where `front.unknown` says';
}
