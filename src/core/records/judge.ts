import { tell } from '../findings/card.ts';
import { sortFindings, type Finding } from '../findings/finding.ts';
import { judgeDns } from '../legs/way/dns.ts';
import { inNetworks } from '../networks/address.ts';
import { bad, findingsOf, type LegResult, type Problem } from '../legs/leg.ts';
import { cached, dangling, delegation, disagree, longMemory, noZone, serverBad, wild } from './cards.ts';
import type { DnsPicture, Heard, NameHeard, Said, ZoneHeard } from './picture.ts';

interface JudgeInput {
  picture: DnsPicture;
  /** Addresses of the front. */
  expected: readonly string[];
  /** Networks of the edge in front, in which every address must lie then; empty without one. */
  edge: readonly string[];
  /** The records that must stand at a name, in words. */
  wanted: (name: string) => string[];
  /** Domains at which the map itself wants a wildcard record. */
  wildcardsAt: readonly string[];
}

/** @property names one result each, in the order asked */
export interface DnsJudgement {
  names: Array<{ name: string; result: LegResult }>;
  findings: Finding[];
}

/**
 * Compares what all servers said with what should be. The zone's own servers decide; a resolver that says otherwise only
 * remembers. One cause is told once: servers that disagree explain what is wrong with the answers of one of them.
 */
export function judgeRecords({ picture, expected, edge, wanted, wildcardsAt }: JudgeInput): DnsJudgement {
  const names = picture.names.map((heard) => ({
    name: heard.name,
    result: judgeName(heard, picture, { expected, edge, wanted: wanted(heard.name) }),
  }));
  const told = findingsOf(names.map(({ name, result }) => ({ road: name, legs: [result] })));
  const zones = picture.zones.flatMap(zoneFindings);
  const strangers = strangerFindings(picture, wildcardsAt, expected);
  return { names, findings: sortFindings([...told, ...zones, ...strangers]) };
}

type Right = Pick<JudgeInput, 'expected' | 'edge'> & { wanted: string[] };

function judgeName(heard: NameHeard, picture: DnsPicture, right: Right): LegResult {
  const { name, zone, servers } = heard;
  if (zone === null) return bad('dns', 'no-zone', { card: noZone, say: 'none', data: {}, cause: `dns:zone:${name}` });
  const answers = servers.flatMap((server) => (server.heard.ok ? [server.heard.said] : []));
  const [first] = answers;
  if (first === undefined) return silentZone(zone, servers);
  if (new Set(answers.map(shape)).size > 1) return judgeDifferent(heard, picture);
  const own = judgeSaid(name, first, right, picture.resolver);
  if (own.outcome !== 'ok') return own;
  return remembered(heard, picture, right) ?? { ...own, problems: [...own.problems, ...longMemoryOf(first)] };
}

/** Longer than a working day is too long for whoever decides to move in the morning. */
const longSeconds = 8 * 60 * 60;

function longMemoryOf({ ttlSeconds }: Said): Problem[] {
  if (ttlSeconds === null || ttlSeconds <= longSeconds) return [];
  return [
    { card: longMemory, say: 'long', data: { time: duration(ttlSeconds) }, cause: `dns:ttl:${String(ttlSeconds)}` },
  ];
}

/** None of the zone's servers answers: told once, with every name that it breaks. */
function silentZone(zone: string, servers: NameHeard['servers']): LegResult {
  const says = servers.map(({ name, heard }) => `${name}: ${heard.ok ? '' : heard.reason}`);
  const data = { zone, says: says.length === 0 ? 'none is named' : says.join('; ') };
  const cause = `dns:zone:${zone}`;
  return bad('dns', 'no-server', { card: serverBad, say: 'all', data, cause, severity: 'error' });
}

/** What an answer comes down to; how long it may be remembered is no difference. */
function shape({ code, aliases, circle, addresses }: Said): string {
  return JSON.stringify([code === 'NXDOMAIN', aliases.slice(1), circle, [...addresses].sort()]);
}

function judgeDifferent({ zone, servers }: NameHeard, { zones }: DnsPicture): LegResult {
  const known = zones.find((one) => one.zone === zone);
  const says = servers.map(({ name, address, heard }) => {
    const serial = known?.servers.find((one) => one.address === address)?.serial ?? null;
    return `${name}${serial === null ? '' : ` (serial ${String(serial)})`} says ${wordsOf(heard)}`;
  });
  const data = { zone: zone ?? '', says: says.join('; ') };
  return bad('dns', 'servers-disagree', { card: disagree, say: 'differ', data, cause: `dns:disagree:${data.says}` });
}

/** An answer in a few words. */
export function wordsOf(heard: Heard): string {
  if (!heard.ok) return `nothing (${heard.reason})`;
  const { code, addresses, aliases, circle } = heard.said;
  if (circle) return 'a circle of aliases';
  if (addresses.length > 0) return addresses.join(' ');
  if (aliases.length > 1) return `an alias of ${aliases[aliases.length - 1] ?? ''} without address`;
  return code === 'NXDOMAIN' || code === 'NOERROR' ? 'no address' : code;
}

function judgeSaid(name: string, said: Said, right: Right, resolver: string): LegResult {
  const { aliases, circle, addresses, code } = said;
  const target = aliases[aliases.length - 1] ?? name;
  if (circle) {
    const data = { path: [...aliases, target].join(' -> ') };
    return bad('dns', 'alias-circle', {
      card: dangling,
      say: 'circle',
      data,
      cause: `dns:circle:${[...aliases].sort().join()}`,
    });
  }
  if (addresses.length === 0 && aliases.length > 1) {
    return bad('dns', 'alias-to-nowhere', { card: dangling, say: 'nowhere', data: { target }, cause: `dns:${target}` });
  }
  if (code !== 'NOERROR' && code !== 'NXDOMAIN') {
    return judgeDns({ name, evidence: { kind: 'no-answer', reason: code }, ...right, resolver });
  }
  const evidence = addresses.length === 0 ? ({ kind: 'missing' } as const) : ({ kind: 'found', addresses } as const);
  return judgeDns({ name, evidence, ...right, resolver });
}

/** The zone is right: what does the resolver remember? */
function remembered({ name, resolver }: NameHeard, picture: DnsPicture, right: Right): LegResult | null {
  const label = picture.resolver;
  if (!resolver.ok) {
    return judgeDns({ name, evidence: { kind: 'no-answer', reason: resolver.reason }, ...right, resolver: label });
  }
  const { code, addresses, noForSeconds, ttlSeconds, unchecked = null } = resolver.said;
  if (code !== 'NOERROR' && code !== 'NXDOMAIN') {
    const isBogus = unchecked !== null && unchecked.length > 0;
    const evidence = isBogus
      ? ({ kind: 'bogus', addresses: unchecked } as const)
      : ({ kind: 'no-answer', reason: `it answers ${code}` } as const);
    return judgeDns({ name, evidence, ...right, resolver: label });
  }
  if (addresses.length === 0) {
    const data = { resolver: label, time: duration(noForSeconds ?? 0) };
    return bad('dns', 'remembers-no', problemOf('no', data, `dns:cached:no:${label}`));
  }
  const { expected, edge } = right;
  const old = addresses.filter((one) => (edge.length > 0 ? !inNetworks(one, edge) : !expected.includes(one)));
  if (old.length === 0) return null;
  const data = { resolver: label, found: old, time: duration(ttlSeconds ?? 0) };
  return bad('dns', 'remembers-old', problemOf('old', data, `dns:cached:${old.join()}:${label}`));
}

function problemOf(say: 'no' | 'old', data: Problem['data'], cause: string): Problem {
  return { card: cached, say, data, cause };
}

/** Seconds as a person says them. */
export function duration(seconds: number): string {
  if (seconds < 120) return `${String(seconds)} s`;
  return seconds < 7200 ? `${String(Math.round(seconds / 60))} min` : `${String(Math.round(seconds / 3600))} h`;
}

function zoneFindings({ zone, servers, own, parent }: ZoneHeard): Finding[] {
  // When none answers, that is told with the names that it breaks.
  const sound = servers.some(({ trouble }) => trouble === null);
  const silent = servers.flatMap(({ name, address, trouble }) => {
    if (trouble === null || !sound) return [];
    const data = { server: name, address, zone, reason: trouble.reason };
    return [tell(serverBad, { say: trouble.kind, data, cause: `dns:server:${address}` })];
  });
  if (parent === null || sameSet(own, parent)) return silent;
  return [...silent, tell(delegation, { say: 'differ', data: { zone, parent, own }, cause: `dns:delegation:${zone}` })];
}

function sameSet(a: readonly string[], b: readonly string[]): boolean {
  return [...a].sort().join() === [...b].sort().join();
}

function strangerFindings(
  { strangers }: DnsPicture,
  wildcardsAt: readonly string[],
  expected: readonly string[],
): Finding[] {
  return strangers.flatMap(({ domain, heard }) => {
    if (wildcardsAt.includes(domain) || !heard.ok || heard.said.addresses.length === 0) return [];
    const found = heard.said.addresses.filter((address) => !expected.includes(address));
    const say = found.length === 0 ? 'front' : 'elsewhere';
    return [tell(wild, { say, data: { domain, found }, cause: `dns:wildcard:${domain}` })];
  });
}
