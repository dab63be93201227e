import type { Socket } from 'node:net';
import type { TLSSocket } from 'node:tls';
import { getExtensionData, readTlsClientHello } from 'read-tls-client-hello';
import { deviceName } from '../core/gates/devices.ts';
import { noDevice, type ShownDevice } from '../core/gates/kind.ts';

/** The name that a handshake is about to ask for (RFC 6066 §3); null where it asks for none, or is none. What was read is put back. */
export async function nameAskedFor(socket: Socket): Promise<string | null> {
  try {
    return getExtensionData(await readTlsClientHello(socket), 'server_name')?.serverName ?? null;
  } catch {
    return null;
  }
}

/** What a handshake has shown of a device, in a server that asks for it. */
export function deviceOf(socket: TLSSocket): ShownDevice {
  const { subject } = socket.getPeerCertificate() as { subject?: { CN?: unknown } };
  // Without a certificate and with a foreign one the handshake fails to be sure in the same way.
  if (subject === undefined) return noDevice;
  const name = subject.CN;
  if (socket.authorized && typeof name === 'string' && deviceName.test(name)) return { state: 'good', name };
  // For a server Node has the code here, and no error.
  const why = String(socket.authorizationError);
  return { state: why === 'CERT_REVOKED' ? 'removed' : why === 'CERT_HAS_EXPIRED' ? 'ended' : 'foreign' };
}
