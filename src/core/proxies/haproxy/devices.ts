import { deviceCheckOf, deviceHeader, refusedDevice, tellsWhich } from '../../gates/devices.ts';
import type { Plan, PlannedRoad } from '../../plan/plan.ts';
import { isWildcard } from '../../names/wildcard.ts';
import { headerCase } from '../header-case.ts';
import { comment, quote } from './quote.ts';

/** Behind `bind`: a certificate that is not good ends no handshake, so that the answer can say why. The lines of the road are then the only guard. */
export function bindWords({ roads }: Plan): string {
  return roads.some(({ gate }) => deviceCheckOf(gate) !== null) ? ' crt-ignore-err all ca-ignore-err all' : '';
}

/** In the list of certificates, for the names of a road whose gate asks for a device. */
export function listWords({ gate }: Pick<PlannedRoad, 'gate'>): string {
  const check = deviceCheckOf(gate);
  return check === null ? '' : `ca-file ${check.authority} verify optional crl-file ${check.removed}`;
}

/** Whether a device of the map was shown. */
export const isDevice = '{ var(txn.device) -m found }';

/**
 * haproxy compares no names: who shook hands for a name without a certificate could ask for this one. It says 0, which is good, where no certificate was shown
 * (configuration manual, `ssl_c_verify`); 10 is one that has ended, and 23 one that was removed (verify(1) of OpenSSL).
 */
export function deviceLines({ name, gate }: PlannedRoad, page: string): string[] {
  if (deviceCheckOf(gate) === null) return [];
  const refuse = (words: string, when: string): string =>
    `http-request return status 403${page === '' ? ` content-type 'text/plain; charset=utf-8' string ${quote(words.trim())}` : page} if !${isDevice} { ssl_c_used }${when}`;
  return [
    comment('Devices are known by the certificate that this name asked for.'),
    isWildcard(name)
      ? `http-request return status 421 if !{ var(txn.sni),strcmp(txn.name) eq 0 }`
      : `http-request return status 421 if !{ var(txn.sni) -m str -- ${quote(name)} }`,
    'http-request set-var(txn.device) bool(true) if { ssl_c_used } { ssl_c_verify 0 }',
    refuse(refusedDevice.removed, ' { ssl_c_verify 23 }'),
    refuse(refusedDevice.ended, ' { ssl_c_verify 10 }'),
    refuse(refusedDevice.foreign, ''),
  ];
}

/** What the road's own service gets of it. */
export function toldDevice({ gate }: PlannedRoad): string[] {
  if (!tellsWhich(gate)) return [];
  return [`http-request set-header ${headerCase(deviceHeader)} %[ssl_c_s_dn(cn)] if ${isDevice}`];
}
