import { createSocket } from 'node:dgram';
import { decode, encode, AUTHORITATIVE_ANSWER, type Answer, type DecodedPacket } from 'dns-packet';

export interface RunningDns {
  port: number;
  stop: () => Promise<void>;
}

const nameError = 3; // RFC 1035 §4.1.1, NXDOMAIN

/** A small stand-in for the zone's name server, over UDP on loopback: every name in `records` has one A record. */
export async function startDns(records: ReadonlyMap<string, string>): Promise<RunningDns> {
  const socket = createSocket('udp4');
  socket.on('message', (message, from) => {
    const reply = replyTo(message, records);
    if (reply !== null) socket.send(reply, from.port, from.address);
  });
  await new Promise<void>((resolve, reject) => {
    socket.once('error', reject);
    socket.bind(0, '127.0.0.1', resolve);
  });
  return { port: socket.address().port, stop: () => new Promise((resolve) => socket.close(resolve)) };
}

function replyTo(message: Buffer, records: ReadonlyMap<string, string>): Buffer | null {
  let query: DecodedPacket;
  try {
    query = decode(message);
  } catch {
    return null;
  }
  const question = query.questions?.[0];
  if (question === undefined) return null;
  const address = records.get(question.name.toLowerCase());
  const answers: Answer[] =
    address !== undefined && question.type === 'A' ? [{ type: 'A', name: question.name, ttl: 60, data: address }] : [];
  const code = address === undefined ? nameError : 0;
  return encode({
    type: 'response',
    id: query.id ?? 0,
    flags: AUTHORITATIVE_ANSWER | code,
    questions: [question],
    answers,
  });
}
