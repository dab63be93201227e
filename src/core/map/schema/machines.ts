import * as z from 'zod';
import { parseHostName } from '../../names/host-name.ts';
import { parseAddress } from '../../networks/address.ts';
import { about, path, wants } from './words.ts';

const engineWords = wants('tcp://HOST:PORT, ssh://USER@HOST, or unix:///PATH');
const addressWords = wants('an IPv4 or IPv6 address, or a host name');

/** Another host whose containers the map leads to. */
export const machine = z.strictObject(
  {
    engine: z
      .string(engineWords)
      // A user of ssh begins with a letter or a digit: with a hyphen it would be an option of the program.
      .regex(
        /^(unix:\/\/\/[^\u0000-\u001f]+|(tcp|https?):\/\/[^\s/@]+|ssh:\/\/([A-Za-z0-9_][\w.-]*@)?([A-Za-z0-9][\w.-]*|\[[0-9a-fA-F:.]+\])(:\d{1,5})?(\/[\w./-]+)?)$/,
        engineWords,
      )
      .meta(
        about(
          'Where its container engine is asked: over TCP with the keys below, through ssh (the installed client, with the key that it finds by itself; a path behind the host is that of the socket there), or at a socket of this machine.',
          'tcp://192.168.64.9:2376',
        ),
      ),
    keys: path('the path of a folder')
      .optional()
      .meta(about('Folder with ca.pem, cert.pem and key.pem for an engine over TCP.', 'keys/hide')),
    address: z
      .string(addressWords)
      .refine((text) => parseAddress(text) !== null || parseHostName(text).ok, addressWords)
      .meta(about('Where the front reaches the ports that its containers publish.', '192.168.64.9')),
  },
  wants('{engine: WHERE, address: ADDRESS}'),
);
