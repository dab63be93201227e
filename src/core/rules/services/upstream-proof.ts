import { withPort } from '../../networks/address.ts';
import { card, tell } from '../../findings/card.ts';
import { dialledParts, partName } from '../../plan/parts.ts';
import { programOf } from '../../proxies/programs.ts';
import type { Rule } from '../rule.ts';

const words = card({
  id: 'upstream-unproven',
  severity: 'warning',
  summary: 'A service behind HTTPS does not prove who it is.',
  why: 'Anyone between the front and the service can read everything, even passwords.',
  source: 'RFC 9110 §4.3.4',
  messages: {
    insecure: {
      message: '`{road}` accepts any certificate at {to} (`upstream-insecure`).',
      remedy:
        'Write `upstream-ca: FILE` with its certificate or authority. To see it: openssl s_client -connect {to} -showcerts',
    },
    file: {
      message: '`{road}` checks its service against {file}, which cannot be used: {why}.',
      remedy:
        'Put the certificate of its authority there, in PEM. Without it the front does not start, or answers 502.',
    },
    pin: {
      message: '{proxy} cannot check `upstream-pin` of `{road}`, and answers 502.',
      remedy:
        'Write `upstream-ca: FILE` with the service’s own certificate: this has the same effect. Or write `proxy: builtin`.',
    },
    address: {
      message:
        '`{road}` leads to an https service by its address, {to}, and {proxy} compares certificates with names only.',
      remedy: 'Write the name in its certificate: `upstream-host: NAME`',
    },
  },
});

export const upstreamUnproven: Rule = {
  card: words,
  check: ({ plan, files }) =>
    dialledParts(plan.roads).flatMap(({ road, part, upstream }) => {
      const { trust, host, port, scheme, verifyAs } = upstream;
      if (scheme === 'http') return [];
      const to = withPort(host, port);
      const about = { roads: [road.name], where: road.where };
      const data = { road: partName(road.display, part.prefix), to };
      const { limits, title: proxy } = programOf(plan.front.proxy);
      if (trust.kind === 'none') return [tell(words, { say: 'insecure', data, ...about })];
      if (trust.kind === 'pin')
        return limits.pin ? [] : [tell(words, { say: 'pin', data: { ...data, proxy }, severity: 'error', ...about })];
      const why = trust.kind === 'ca' ? (files.authorities.get(trust.file) ?? null) : null;
      if (trust.kind === 'ca' && why !== null)
        return [tell(words, { say: 'file', data: { ...data, file: trust.file, why }, severity: 'error', ...about })];
      const byAddress = /^[\d.]+$|:/.test(verifyAs ?? '');
      return !limits.addressInCertificate && byAddress
        ? [tell(words, { say: 'address', data: { ...data, proxy }, ...about })]
        : [];
    }),
};
