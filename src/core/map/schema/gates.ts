import * as z from 'zod';
import { about, network, oneOrMany, path, pathPrefix, wants } from './words.ts';

export const gate = z.strictObject(
  {
    people: path('the path of a password file')
      .optional()
      .meta(about('Password file of the people who may pass.', 'wardens.htpasswd')),
    networks: oneOrMany(network, 'a network or a list of networks')
      .optional()
      .meta(about('Networks whose visitors may pass.', '[192.168.64.0/24, "fd40:64::/48"]')),
    need: z
      .enum(['any', 'all'], wants('any or all'))
      .default('all')
      .meta(about('With both people and networks: whether one is enough.', 'any')),
    except: oneOrMany(pathPrefix, 'a path or a list of paths')
      .optional()
      .meta(about('Paths that pass ungated, in normal form only.', '[/hooks/]')),
  },
  wants('keys such as `people` and `networks`'),
);
