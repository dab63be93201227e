import * as z from 'zod';
import { about, flag, hostName, label, oneOrMany, wants } from './words.ts';

const portWords = 'a port with its protocol, such as 27015/udp';

const keys = z.strictObject(
  {
    to: z
      .string(wants('SERVICE:PORT, :PORT, or tcp://HOST:PORT'))
      .meta(about('Where it leads: a service, a port of this machine, or another machine.', 'weather-mast:1883')),
    gate: oneOrMany(label('the name of a gate'), 'the name of a gate, or a list of at most five', 5)
      .default(['home'])
      .meta(about('Who may connect, by networks alone: a raw port asks for no password.', 'home')),
    tls: flag
      .default(false)
      .meta(about('Visitors speak TLS, which ends at the front; the service gets what is inside. TCP only.', 'true')),
    name: hostName
      .optional()
      .meta(
        about(
          'Beside `tls`: the name that visitors connect to, short or full, whose certificate is shown. One that no road has gets a record and a certificate, too. Default: the first domain.',
          'saltmarsh.example',
        ),
      ),
    'proxy-protocol': flag
      .default(false)
      .meta(
        about(
          "The service is told the visitor's address by the PROXY protocol, version 1, which it must expect. TCP only.",
          'true',
        ),
      ),
  },
  wants('SERVICE:PORT, or keys such as `to` and `gate`'),
);

/** Raw ports by number and protocol. */
export const ports = z.record(
  z
    .string(wants(portWords))
    .refine((text) => /^[1-9]\d{0,4}\/(tcp|udp)$/.test(text) && parseInt(text, 10) <= 65_535, wants(portWords)),
  z.preprocess((value) => (typeof value === 'string' ? { to: value } : value), keys),
  wants('ports with where they lead'),
);
