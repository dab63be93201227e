import { randomBytes } from 'node:crypto';
import pLimit from 'p-limit';
import { withPort } from '../../core/networks/address.ts';
import type { DnsPicture, Heard, NameHeard, ServerOfZone, ZoneHeard } from '../../core/records/picture.ts';
import { reasonOf } from '../trouble.ts';
import { hear, hearResolver, plainName } from './heard.ts';
import { queryServer, type NameServer } from './query.ts';
import { ask, serversOf, zoneOf, type ZoneReader } from './zone.ts';

interface LookInput {
  names: readonly string[];
  domains: readonly string[];
  reader: ZoneReader;
  signal: AbortSignal;
  onProgress: (done: number, of: number) => void;
}

const abreast = 16;
const maxAliases = 8;

/**
 * Asks everybody who has a say about the names: every authoritative server of every zone, the zone above for its delegation,
 * and the resolver. Each question has its own time limit, so that a silent server costs no more than that.
 *
 * @throws Trouble `no-resolver` when the resolver gives no answer at all
 */
export async function lookEverywhere(input: LookInput): Promise<DnsPicture> {
  const look = new Look(input);
  return look.all();
}

class Look {
  private readonly zones = new Map<string, Promise<ZoneHeard>>();
  private readonly limit = pLimit(abreast);

  constructor(private readonly input: LookInput) {}

  async all(): Promise<DnsPicture> {
    const { names, domains, reader, onProgress } = this.input;
    // A resolver that is not there is told once, before anything waits for it.
    await ask(reader, { name: domains[0] ?? '.', type: 'SOA' });
    let done = 0;
    const heard = await Promise.all(
      names.map((name) =>
        this.limit(async () => {
          this.input.signal.throwIfAborted();
          const one = await this.name(name);
          done += 1;
          onProgress(done, names.length);
          return one;
        }),
      ),
    );
    const strangers = await Promise.all(
      domains.map(async (domain) => ({ domain, heard: await this.atZone(`${strangerLabel()}.${domain}`) })),
    );
    const { address, port } = reader.resolver;
    const resolver = port === 53 ? address : withPort(address, port);
    return { resolver, zones: await Promise.all(this.zones.values()), names: heard, strangers };
  }

  private async name(name: string): Promise<NameHeard> {
    const { reader } = this.input;
    const zone = await this.zoneOf(name);
    const asked = await hearResolver(reader.resolver, name, reader.timeoutMs);
    // A server that asks nobody else leaves the aliases to us.
    const resolver = asked.ok && asked.recursive === true ? plain(asked) : await this.chased(asked, '');
    if (zone === null) return { name, zone, servers: [], resolver };
    const { servers } = await this.zone(zone);
    const sound = servers.filter(({ trouble }) => trouble === null);
    const heard = await Promise.all(
      sound.map(async ({ name: server, address, port }) => ({
        name: server,
        address,
        heard: await this.chased(await hear({ address, port }, name, reader.timeoutMs), zone),
      })),
    );
    const silent = servers.filter(({ trouble }) => trouble !== null);
    const rest = silent.map(({ name: server, address, trouble }) => ({
      name: server,
      address,
      heard: { ok: false as const, reason: trouble?.reason ?? '' },
    }));
    return { name, zone, servers: sound.length === 0 ? rest : heard, resolver };
  }

  /** A server knows its own zones only; where an alias leaves them, the servers of the next zone are asked. */
  private async chased(heard: Heard, from: string, passed: readonly string[] = []): Promise<Heard> {
    if (!heard.ok) return plain(heard);
    const { said } = heard;
    const target = said.aliases[said.aliases.length - 1];
    if (target === undefined || said.addresses.length > 0 || said.circle) return plain(heard);
    const before = [...passed, ...said.aliases.slice(0, -1)];
    if (before.includes(target) || before.length > maxAliases) return { ok: true, said: { ...said, circle: true } };
    const zone = await this.zoneOf(target);
    if (zone === null || zone === from) return plain(heard);
    const there = await this.atZone(target, before);
    if (!there.ok) return plain(heard);
    const aliases = [...said.aliases, ...there.said.aliases.slice(1)];
    return { ok: true, said: { ...there.said, aliases } };
  }

  /** What the first server of a name's zone that answers says. */
  private async atZone(name: string, passed: readonly string[] = []): Promise<Heard> {
    const zone = await this.zoneOf(name);
    if (zone === null) return { ok: false, reason: 'it is in no zone' };
    const { servers } = await this.zone(zone);
    for (const { address, port, trouble } of servers) {
      if (trouble !== null) continue;
      const heard = await hear({ address, port }, name, this.input.reader.timeoutMs);
      if (heard.ok) return this.chased(heard, zone, passed);
    }
    return { ok: false, reason: 'none of its name servers answers' };
  }

  private async zoneOf(name: string): Promise<string | null> {
    // Zones that are known already spare the questions up to there.
    const known = [...this.zones.keys()].filter((zone) => name === zone);
    if (known[0] !== undefined) return known[0];
    return zoneOf(this.input.reader, name).catch(() => null);
  }

  private zone(zone: string): Promise<ZoneHeard> {
    const known = this.zones.get(zone);
    if (known !== undefined) return known;
    const asked = this.askZone(zone);
    this.zones.set(zone, asked);
    return asked;
  }

  private async askZone(zone: string): Promise<ZoneHeard> {
    const { reader } = this.input;
    const [found, parent] = await Promise.all([serversOf(reader, zone), this.parentOf(zone)]);
    const servers = await Promise.all(found.map(({ name, server }) => this.server(zone, name, server)));
    const sound = servers.find(({ trouble }) => trouble === null);
    const own = sound === undefined ? [] : await this.namesAt(sound, zone);
    return { zone, servers, own, parent: own.length === 0 ? null : parent };
  }

  private async server(zone: string, name: string, { address, port }: NameServer): Promise<ServerOfZone> {
    try {
      const { code, authoritative, answers } = await queryServer(
        { address, port },
        { name: zone, type: 'SOA' },
        this.input.reader.timeoutMs,
      );
      const soa = answers.find((answer) => answer.type === 'SOA');
      const serial = soa?.type === 'SOA' ? (soa.data.serial ?? null) : null;
      if (authoritative && serial !== null) return { name, address, port, serial, trouble: null };
      const reason = code === 'NOERROR' ? 'it does not answer authoritatively' : `it answers ${code}`;
      return { name, address, port, serial: null, trouble: { kind: 'lame', reason } };
    } catch (error) {
      return { name, address, port, serial: null, trouble: { kind: 'silent', reason: reasonOf(error) } };
    }
  }

  /** The name servers by which the zone above leads to this one (RFC 1034 §4.2.1), or null when it cannot be asked. */
  private async parentOf(zone: string): Promise<string[] | null> {
    const { reader } = this.input;
    const above = zone.split('.').slice(1).join('.');
    if (above === '') return null;
    const parent = await zoneOf(reader, above).catch(() => null);
    if (parent === null) return null;
    for (const { server } of await serversOf(reader, parent)) {
      const names = await this.namesAt(server, zone);
      if (names.length > 0) return names;
    }
    return null;
  }

  /** NS records of a zone as one server has them: its own, or those of a referral. */
  private async namesAt(server: NameServer, zone: string): Promise<string[]> {
    try {
      const { answers, authorities } = await queryServer(
        server,
        { name: zone, type: 'NS' },
        this.input.reader.timeoutMs,
      );
      return [...answers, ...authorities].flatMap((one) =>
        one.type === 'NS' && plainName(one.name) === zone ? [plainName(one.data)] : [],
      );
    } catch {
      return [];
    }
  }
}

/** A name that nobody has and nobody will guess. */
function strangerLabel(): string {
  return `mile-marker-${randomBytes(6).toString('hex')}`;
}

function plain(heard: Heard): Heard {
  return heard.ok ? { ok: true, said: heard.said } : { ok: false, reason: heard.reason };
}
