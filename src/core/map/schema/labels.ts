import * as z from 'zod';
import { about, hostName, label, oneOrMany, wants } from './words.ts';

/** How far labels of containers are obeyed. */
export const labels = z.strictObject(
  {
    obey: oneOrMany(hostName, 'a name or a list of names').meta(
      about(
        'Names under which the label `mile-marker.road` of a container makes a road: its YAML has `name`, `port` and `gate` only. Each lies in one of `domains`.',
        '[lab.saltmarsh.example]',
      ),
    ),
    gates: oneOrMany(label('the name of a gate'), 'a gate or a list of gates')
      .optional()
      .meta(
        about(
          'Gates that a label may ask for beside `home`, which it gets when it asks for none. `everyone` only when it stands here.',
          '[wardens]',
        ),
      ),
  },
  wants('{obey: NAME}'),
);
