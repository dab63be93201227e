import * as z from 'zod';
import { gateKinds } from '../../gates/kinds.ts';
import { about, headerName, oneOrMany, pathPrefix, wants } from './words.ts';

/** What a kind of check says of its key stays with the key where a gate may leave it out. */
function keyOf<T>(schema: z.ZodType<T>): z.ZodOptional<z.ZodType<T>> {
  return schema.optional().meta(schema.meta() ?? {});
}

export const gate = z.strictObject(
  {
    people: keyOf(gateKinds.people.schema),
    networks: keyOf(gateKinds.networks.schema),
    devices: keyOf(gateKinds.devices.schema),
    asks: keyOf(gateKinds.asks.schema),
    tell: oneOrMany(headerName('the name of a header'), 'a header or a list of headers')
      .optional()
      .meta(
        about(
          'What the service of the road is told: beside `asks`, headers of its answer; beside `devices`, `device` for the name of the device, as `Remote-Device`. Nobody else can send them.',
          '[Remote-User, Remote-Groups]',
        ),
      ),
    need: z
      .enum(['any', 'all'], wants('any or all'))
      .default('all')
      .meta(about('With several of them: whether one is enough.', 'any')),
    except: oneOrMany(pathPrefix, 'a path or a list of paths')
      .optional()
      .meta(about('Paths that pass ungated, in normal form only.', '[/hooks/]')),
  },
  wants('keys such as `people` and `networks`'),
);
