import { asksFor, type PlannedGate } from '../gates/check.ts';
import type { MapRoad, SiteMap } from '../map/site-map.ts';
import { withoutStar } from '../names/wildcard.ts';
import { absolutePath } from './absolute-path.ts';
import type { PlannedCertificate, PlannedRate, PlannedRules } from './plan.ts';

/** What a people gate gets without a word in the map: every guess costs this machine a hash. */
const rateOfPeople: PlannedRate = { requests: 20, perSeconds: 1, burst: 100 };

const day = 86_400;

/** Headers that protect visitors, where the service sends nothing of its own under their names (Fetch, HTML, Referrer Policy). */
const securitySets: Record<MapRoad['rules']['securityHeaders'], Array<[string, string]>> = {
  off: [],
  basic: [
    ['X-Content-Type-Options', 'nosniff'],
    ['X-Frame-Options', 'SAMEORIGIN'],
    ['Referrer-Policy', 'strict-origin-when-cross-origin'],
  ],
  strict: [
    ['X-Content-Type-Options', 'nosniff'],
    ['X-Frame-Options', 'DENY'],
    ['Referrer-Policy', 'no-referrer'],
    ['Content-Security-Policy', "frame-ancestors 'none'; base-uri 'self'; object-src 'none'"],
    ['Cross-Origin-Opener-Policy', 'same-origin'],
    ['Permissions-Policy', 'camera=(), geolocation=(), microphone=()'],
  ],
};

interface RulesInput {
  road: MapRoad;
  map: SiteMap;
  mapFolder: string;
  gate: PlannedGate;
  certificate: PlannedCertificate | undefined;
  silenceSeconds: number;
}

/** Fills in what the map leaves open about a road. */
export function planRules({ road, map, mapFolder, gate, certificate, silenceSeconds }: RulesInput): PlannedRules {
  const { rules } = road;
  const hasPeople = asksFor(gate, 'people');
  const set = rules.responseHeaders.map(([name]) => name.toLowerCase());
  return {
    methods: rules.methods,
    rate: rules.rate === null ? (hasPeople ? rateOfPeople : null) : countable(rules.rate),
    bodyLimitBytes: rules.bodyLimitBytes,
    silenceSeconds: rules.timeoutSeconds ?? silenceSeconds,
    plain: rules.plain,
    hsts: planHsts(road, map, certificate),
    headers: rules.responseHeaders,
    defaults: securitySets[rules.securityHeaders].filter(([name]) => !set.includes(name.toLowerCase())),
    cors: rules.cors,
    log: planLog(road, map, mapFolder),
    expect: rules.expect,
    meantSo: rules.meantSo,
  };
}

/** Inside a container nothing can be written but its own output, which the engine keeps. */
function planLog({ name, rules: { log } }: MapRoad, { front }: SiteMap, mapFolder: string): string | false | null {
  if (log === null || log === false) return log;
  if (front.container !== null) return '/dev/stdout';
  return absolutePath(mapFolder, log === true ? `.mile-marker/logs/${withoutStar(name)}.log` : log);
}

/** Servers count by the second or the minute; an hour's worth is rounded up. */
function countable({ requests, perSeconds, burst }: PlannedRate): PlannedRate {
  return perSeconds === 3600
    ? { requests: Math.ceil(requests / 60), perSeconds: 60, burst }
    : { requests, perSeconds, burst };
}

/**
 * What is written counts; `hsts-locks-out` says where it would hurt. Nothing written is one day, and nothing at all where a browser that
 * remembers it could not get in any more: a certificate that it does not trust, or HTTPS on a port that it would not try
 * (RFC 6797 §8.3 keeps any port but 80).
 */
function planHsts({ rules }: MapRoad, map: SiteMap, certificate: PlannedCertificate | undefined): number | null {
  switch (rules.hsts) {
    case 'off':
      return null;
    case 'forget':
      return 0;
    case 'on':
      return 180 * day;
    case null:
      return rules.plain || map.front.ports.https !== 443 || !isPublic(map, certificate) ? null : day;
    default:
      return rules.hsts;
  }
}

/** Whether browsers in general believe this certificate. */
export function isPublic(
  { acme }: Pick<SiteMap, 'acme'>,
  certificate: Pick<PlannedCertificate, 'from'> | undefined,
): boolean {
  if (certificate?.from === 'acme') return acme?.directory === 'production';
  return certificate?.from === 'files';
}
