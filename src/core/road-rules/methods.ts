import * as z from 'zod';
import { about, methodName, oneOrMany } from '../map/schema/words.ts';
import { roadRule } from './rule.ts';

export const methods = roadRule({
  key: 'methods',
  schema: oneOrMany(methodName('a method such as GET'), 'a method or a list of methods', 30)
    .optional()
    .meta(about('Allowed methods; others get 405.', '[GET, HEAD]')),
  read: (written) => written?.map((method) => method.toUpperCase()) ?? null,
  plan: (said) => said,
  document: z.array(z.string()).nullable(),
  shown: (planned) => planned?.join(', ') ?? null,
});
