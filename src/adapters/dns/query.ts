import { createSocket } from 'node:dgram';
import { connect } from 'node:net';
import { randomInt } from 'node:crypto';
import { decode, encode, type Answer, type DecodedPacket, type RecordType } from 'dns-packet';
import { TimeUp } from '../probe/failure.ts';

/** @property address IPv4 or IPv6 */
export interface NameServer {
  address: string;
  port: number;
}

export interface Question {
  name: string;
  type: RecordType;
  /** Signatures need not be looked at. */
  unchecked?: boolean;
}

/** @property code NOERROR, NXDOMAIN, REFUSED … (RFC 6895 §2.3) */
export interface DnsAnswer {
  code: string;
  authoritative: boolean;
  /** Whether it asks others for what it does not know (RFC 1035 §4.1.1, RA). */
  recursive: boolean;
  answers: Answer[];
  authorities: Answer[];
}

const recursionDesired = 256;
/** RFC 4035 §3.2.2 (CD). */
const checkingDisabled = 16;

/**
 * Asks one name server one question: over UDP with EDNS, and again over TCP when the answer was cut (RFC 1035 §4.2,
 * RFC 6891). An answer to another question is not taken for this one.
 */
export async function queryServer(
  server: NameServer,
  { name, type, unchecked }: Question,
  timeoutMs: number,
): Promise<DnsAnswer> {
  const id = randomInt(65_536);
  const message = encode({
    type: 'query',
    id,
    flags: recursionDesired | (unchecked === true ? checkingDisabled : 0),
    questions: [{ name, type }],
    additionals: [
      {
        type: 'OPT',
        name: '.',
        udpPayloadSize: 1232,
        extendedRcode: 0,
        ednsVersion: 0,
        flags: 0,
        flag_do: false,
        options: [],
      },
    ],
  });
  const fits = (packet: DecodedPacket): boolean => {
    const [asked] = packet.questions ?? [];
    // A server that could not read the question may leave it out; whoever answers repeats it (RFC 5452 §4.2).
    const same = asked === undefined || (asked.name.toLowerCase() === name.toLowerCase() && asked.type === type);
    return packet.id === id && packet.type === 'response' && same;
  };
  const short = await overUdp(server, message, fits, timeoutMs);
  const packet = short.flag_tc ? await decodedOverTcp(server, message, fits, timeoutMs) : short;
  const {
    rcode,
    answers = [],
    authorities = [],
    flag_aa: authoritative,
    flag_ra: recursive,
  } = packet as DecodedPacket & { rcode: string };
  return { code: rcode, authoritative, recursive, answers: ownAnswers(name, answers), authorities };
}

/** So many aliases behind each other are followed (RFC 1034 §3.6.2 sets no number). */
const mostAliases = 16;

/** Records of the name that was asked for, and of what its aliases lead to; whatever else a server adds counts for nothing (RFC 2181 §5.4.1). */
function ownAnswers(name: string, answers: readonly Answer[]): Answer[] {
  const plain = (text: string): string => text.toLowerCase().replace(/\.$/, '');
  const owners = new Set([plain(name)]);
  for (let step = 0; step < mostAliases; step += 1) {
    const before = owners.size;
    for (const one of answers) if (one.type === 'CNAME' && owners.has(plain(one.name))) owners.add(plain(one.data));
    if (owners.size === before) break;
  }
  return answers.filter((one) => owners.has(plain(one.name)));
}

type Fits = (packet: DecodedPacket) => boolean;

/** What cannot be read is nobody's answer: it may come from anywhere. */
function tryDecode(bytes: Buffer, read: (bytes: Buffer) => DecodedPacket): DecodedPacket | null {
  try {
    return read(bytes);
  } catch {
    return null;
  }
}

async function overUdp(
  { address, port }: NameServer,
  message: Buffer,
  fits: Fits,
  timeoutMs: number,
): Promise<DecodedPacket> {
  const bytes = await exchangeUdp({ address, port }, message, timeoutMs, (reply) => {
    const packet = tryDecode(reply, decode);
    return packet !== null && fits(packet);
  });
  return decode(bytes);
}

/** Sends one datagram and waits for the first reply from there that `fits`. */
export async function exchangeUdp(
  { address, port }: NameServer,
  message: Buffer,
  timeoutMs: number,
  fits: (reply: Buffer) => boolean,
): Promise<Buffer> {
  const socket = createSocket(address.includes(':') ? 'udp6' : 'udp4');
  try {
    return await new Promise<Buffer>((resolve, reject) => {
      const timer = setTimeout(() => reject(new TimeUp(`no answer from ${address}`, timeoutMs)), timeoutMs);
      const done = (act: () => void): void => {
        clearTimeout(timer);
        act();
      };
      socket.once('error', (error) => done(() => reject(error)));
      socket.on('message', (reply) => {
        if (fits(reply)) done(() => resolve(reply));
      });
      // Connected, the kernel drops what comes from elsewhere and tells when nobody listens.
      // By the event: a callback would get the error of a machine without a way there, too.
      socket.once('connect', () => socket.send(message));
      socket.connect(port, address);
    });
  } finally {
    socket.close();
  }
}

async function decodedOverTcp(
  server: NameServer,
  message: Buffer,
  fits: Fits,
  timeoutMs: number,
): Promise<DecodedPacket> {
  const packet = tryDecode(await exchangeTcp(server, message, timeoutMs), decode);
  if (packet !== null && fits(packet)) return packet;
  throw new Error('the answer cannot be read');
}

/** Sends one message over TCP, its length before it (RFC 1035 §4.2.2), and waits for one whole message. */
export async function exchangeTcp({ address, port }: NameServer, message: Buffer, timeoutMs: number): Promise<Buffer> {
  const socket = connect({ host: address, port });
  const length = Buffer.alloc(2);
  length.writeUInt16BE(message.length);
  const stream = Buffer.concat([length, message]);
  try {
    return await new Promise<Buffer>((resolve, reject) => {
      const timer = setTimeout(() => reject(new TimeUp(`no answer from ${address}`, timeoutMs)), timeoutMs);
      const end = (act: () => void): void => {
        clearTimeout(timer);
        act();
      };
      let held = Buffer.alloc(0);
      socket.once('error', (error) => end(() => reject(error)));
      socket.once('close', () => end(() => reject(new Error('the connection ended before the answer'))));
      socket.once('connect', () => socket.write(stream));
      socket.on('data', (chunk) => {
        held = Buffer.concat([held, chunk]);
        if (held.length < 2 || held.length < held.readUInt16BE(0) + 2) return;
        end(() => resolve(held.subarray(2, held.readUInt16BE(0) + 2)));
      });
    });
  } finally {
    socket.destroy();
  }
}
