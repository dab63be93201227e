import * as z from 'zod';
import { about, flag, pathPrefix, text, wants } from '../map/schema/words.ts';
import { roadRule } from './rule.ts';

/** What `verify` must find at the end of a road. Null where the map does not say. */
export interface Expect {
  path: string;
  status: number | null;
  text: string | null;
  websocket: boolean;
}

const schema = z.strictObject(
  {
    path: pathPrefix.default('/').meta(about('What `verify` asks for.', '/live')),
    status: z
      .int(wants('a status from 200 to 599'))
      .min(200, wants('a status from 200 to 599'))
      .max(599, wants('a status from 200 to 599'))
      .optional()
      .meta(about('The status that must come back.', '204')),
    text: text('a text').optional().meta(about('A text that the answer must contain.', 'Nest camera')),
    websocket: flag.default(false).meta(about('Whether it must answer a WebSocket upgrade.', 'true')),
  },
  wants('keys such as `path`'),
);

export const expect = roadRule({
  key: 'expect',
  schema: schema
    .optional()
    .meta(about('What `verify` must find at the end of the road.', '{path: /live, websocket: true}')),
  read: (written): Expect | null =>
    written === undefined
      ? null
      : {
          path: written.path,
          status: written.status ?? null,
          text: written.text ?? null,
          websocket: written.websocket,
        },
  plan: (said) => said,
  document: z
    .strictObject({
      path: z.string(),
      status: z.int().nullable(),
      text: z.string().nullable(),
      websocket: z.boolean(),
    })
    .nullable(),
  // Nothing that visitors meet.
  shown: () => null,
});
