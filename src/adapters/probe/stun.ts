import { randomBytes } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { lookup } from 'node:dns/promises';
import { parseAddress } from '../../core/networks/address.ts';
import { TimeUp } from './failure.ts';

/** RFC 8489 §5 and §14: the header's fixed octets and the numbers that a binding needs. */
const magicCookie = 0x2112a442;
const bindingRequest = 0x0001;
const bindingSuccess = 0x0101;
const xorMappedAddress = 0x0020;
const headerLength = 20;

/** A datagram may be lost, so it is sent again at growing intervals (RFC 8489 §6.2.1). */
const firstPauseMs = 500;

/**
 * Asks a STUN server which address it sees us come from, over the server's own kind of address.
 *
 * @param server NAME:PORT or ADDRESS:PORT
 * @throws TimeUp when nobody answers; an Error of the socket or of the name's lookup
 */
export async function addressSeenBy(server: string, timeoutMs: number): Promise<string> {
  const [, host = '', port = ''] = /^\[?(.*?)\]?:(\d+)$/.exec(server) ?? [];
  const { address, family } = await lookup(host);
  const socket = createSocket(family === 6 ? 'udp6' : 'udp4');
  const id = randomBytes(12);
  const request = Buffer.alloc(headerLength);
  request.writeUInt16BE(bindingRequest, 0);
  request.writeUInt32BE(magicCookie, 4);
  id.copy(request, 8);
  let again: NodeJS.Timeout | undefined;
  let end: NodeJS.Timeout | undefined;
  try {
    return await new Promise<string>((resolve, reject) => {
      end = setTimeout(() => reject(new TimeUp(`no answer from ${host}`, timeoutMs)), timeoutMs);
      socket.once('error', reject);
      socket.on('message', (message) => {
        const seen = readBinding(message, id);
        if (seen !== null) resolve(seen);
      });
      const send = (pauseMs: number): void => {
        socket.send(request);
        again = setTimeout(() => send(pauseMs * 2), pauseMs);
      };
      // By the event: a callback would get the error of a machine without a way there, too.
      socket.once('connect', () => send(firstPauseMs));
      socket.connect(Number(port), address);
    });
  } finally {
    clearTimeout(again);
    clearTimeout(end);
    socket.close();
  }
}

/** The mapped address in a success response to our own request, or null for anything else. */
export function readBinding(message: Buffer, id: Buffer): string | null {
  if (message.length < headerLength || message.readUInt16BE(0) !== bindingSuccess) return null;
  if (message.readUInt32BE(4) !== magicCookie || !message.subarray(8, headerLength).equals(id)) return null;
  const end = Math.min(message.length, headerLength + message.readUInt16BE(2));
  for (let at = headerLength; at + 4 <= end;) {
    const [type, length] = [message.readUInt16BE(at), message.readUInt16BE(at + 2)];
    const value = message.subarray(at + 4, Math.min(at + 4 + length, end));
    if (type === xorMappedAddress) return readMapped(value, message.subarray(4, headerLength));
    // Attributes are filled up to four octets (§14).
    at += 4 + length + ((4 - (length % 4)) % 4);
  }
  return null;
}

/** §14.2: the address is combined with the cookie, and for IPv6 with the transaction's id too. */
function readMapped(value: Buffer, mask: Buffer): string | null {
  const octets = value.length < 4 ? 0 : ({ 1: 4, 2: 16 }[value.readUInt8(1)] ?? 0);
  if (octets === 0 || value.length < 4 + octets) return null;
  const plain = value.subarray(4, 4 + octets).map((octet, index) => octet ^ (mask[index] ?? 0));
  if (octets === 4) return parseAddress(plain.join('.'));
  const groups = Array.from({ length: 8 }, (_, index) =>
    Buffer.from(plain)
      .readUInt16BE(index * 2)
      .toString(16),
  );
  return parseAddress(groups.join(':'));
}
