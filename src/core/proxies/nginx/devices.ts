import { deviceCheckOf, deviceHeader, refusedDevice, tellsWhich } from '../../gates/devices.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import type { PlannedGate } from '../../gates/check.ts';
import { headerCase } from '../header-case.ts';
import { returnLines } from './pages.ts';
import { block, comment, pattern, quote, quoteText } from './quote.ts';

/** The name of the visitor's device; empty where none is known. */
export const deviceVariable = '$mile_marker_device';
const refusedVariable = '$mile_marker_refused_device';

/** Maps that the lines below refer to, where some road asks for a device. */
export function deviceMaps({ roads }: Plan): string[] {
  if (roads.every(({ gate }) => deviceCheckOf(gate) === null)) return [];
  return [
    comment('Devices, by the certificate that they show in the handshake.'),
    ...block(`map "$ssl_client_verify:$ssl_client_s_dn" ${deviceVariable}`, [
      'default "";',
      `${pattern('~^SUCCESS:CN=([a-z0-9-]+)$')} $1;`,
    ]),
    ...block(`map $ssl_client_verify ${refusedVariable}`, [
      `default ${quoteText(refusedDevice.foreign)};`,
      `"FAILED:certificate revoked" ${quoteText(refusedDevice.removed)};`,
      `"FAILED:certificate has expired" ${quoteText(refusedDevice.ended)};`,
    ]),
  ];
}

/**
 * In a server with TLS whose gate asks for a device: certificates are asked for on its names alone. What is not good ends in 495, a code of nginx's own, before
 * any location is looked for. nginx itself answers 421 where name and handshake differ in such a server.
 */
export function deviceLines(plan: Plan, { gate }: PlannedRoad): string[] {
  const check = deviceCheckOf(gate);
  if (check === null) return [];
  return [
    comment('Asks for the certificate of a device. Whoever has none is not refused here, but at the gate.'),
    'ssl_verify_client optional;',
    'ssl_verify_depth 1;',
    `ssl_client_certificate ${quote(check.authority)};`,
    `ssl_crl ${quote(check.removed)};`,
    'error_page 495 = @device;',
    ...block('location @device', [
      ...(plan.pages.refused === undefined
        ? [...block('types', []), 'default_type text/plain;', `return 403 ${refusedVariable};`]
        : returnLines(plan, 'refused', 403)),
    ]),
  ];
}

/** What the road's own service gets of it. */
export function toldDevice(gate: PlannedGate): string[] {
  return tellsWhich(gate) ? [`proxy_set_header ${headerCase(deviceHeader)} ${deviceVariable};`] : [];
}
