import { createSocket } from 'node:dgram';
import { isUnder } from '../core/names/host-name.ts';
import { decode, encode, AUTHORITATIVE_ANSWER, type Answer, type DecodedPacket } from 'dns-packet';

interface RunningDns {
  port: number;
  stop: () => Promise<void>;
}

const nameError = 3; // RFC 1035 §4.1.1, NXDOMAIN

const server = 'ns1.saltmarsh.example';

export interface DnsInput {
  /** Zones that it is the only name server of. */
  domains: readonly string[];
  /** One A record for each name, as they are at that moment. */
  records: ReadonlyMap<string, string>;
}

/** A small stand-in for the zones' name server, over UDP on loopback: SOA, NS and A records, and an honest "no" for the rest. */
export async function startDns(input: DnsInput): Promise<RunningDns> {
  const socket = createSocket('udp4');
  socket.on('message', (message, from) => {
    const records = new Map([...input.records, [server, '127.0.0.1']]);
    const reply = replyTo(message, { domains: input.domains, records });
    if (reply !== null) socket.send(reply, from.port, from.address);
  });
  await new Promise<void>((resolve, reject) => {
    socket.once('error', reject);
    socket.bind(0, '127.0.0.1', resolve);
  });
  return { port: socket.address().port, stop: () => new Promise((resolve) => socket.close(resolve)) };
}

function replyTo(message: Buffer, input: DnsInput): Buffer | null {
  let query: DecodedPacket;
  try {
    query = decode(message);
  } catch {
    return null;
  }
  const question = query.questions?.[0];
  if (question === undefined) return null;
  const name = question.name.toLowerCase();
  const zone = input.domains.find((domain) => isUnder(name, domain));
  const answers = zone === undefined ? [] : answersTo(name, question.type, zone, input);
  const known = zone === name || input.records.has(name);
  return encode({
    type: 'response',
    id: query.id ?? 0,
    flags: AUTHORITATIVE_ANSWER | (known ? 0 : nameError),
    questions: [question],
    answers,
    authorities: answers.length > 0 || zone === undefined ? [] : [soaOf(zone)],
  });
}

function answersTo(name: string, type: string, zone: string, { records }: DnsInput): Answer[] {
  const address = records.get(name);
  if (type === 'A') return address === undefined ? [] : [{ type: 'A', name, ttl: 60, data: address }];
  if (name !== zone) return [];
  if (type === 'SOA') return [soaOf(zone)];
  return type === 'NS' ? [{ type: 'NS', name, ttl: 60, data: server }] : [];
}

/** RFC 2308 §5: its last field says how long a "no" may be remembered. */
function soaOf(zone: string): Answer {
  const times = { refresh: 3600, retry: 600, expire: 86_400, minimum: 60 };
  return { type: 'SOA', name: zone, ttl: 60, data: { mname: server, rname: `keeper.${zone}`, serial: 1, ...times } };
}
