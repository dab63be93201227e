import type { DevicesCheck } from '../../gates/check.ts';
import { deviceCheckOf, deviceHeader, tellsWhich } from '../../gates/devices.ts';
import type { PlannedRoad } from '../../plan/plan.ts';
import { headerCase } from '../header-case.ts';
import { comment, quote } from './quote.ts';

/**
 * In a server with TLS whose gate asks for a device. httpd ends the handshake of a certificate that is not good by itself, and answers 421 where name and
 * handshake differ in such a server.
 */
export function deviceLines({ gate }: PlannedRoad): string[] {
  const check = deviceCheckOf(gate);
  if (check === null) return [];
  return [
    comment('Asks for the certificate of a device. Whoever has none is not refused here, but at the gate.'),
    'SSLVerifyClient optional',
    'SSLVerifyDepth 1',
    `SSLCACertificateFile ${quote(check.authority)}`,
    `SSLCARevocationFile ${quote(check.removed)}`,
    'SSLCARevocationCheck chain',
  ];
}

/** An expression for a device that the check lets pass. */
export function isDevice({ names }: Pick<DevicesCheck, 'names'>): string {
  const good = "%{SSL_CLIENT_VERIFY} == 'SUCCESS'";
  return names === null ? good : `${good} && %{SSL_CLIENT_S_DN_CN} =~ m#^(?:${names.join('|')})$#`;
}

/** What the road's own service gets of it. */
export function toldDevice({ gate }: PlannedRoad): string[] {
  if (!tellsWhich(gate)) return [];
  return [
    `RequestHeader set ${headerCase(deviceHeader)} "expr=%{SSL_CLIENT_S_DN_CN}" "expr=${isDevice({ names: null })}"`,
  ];
}
