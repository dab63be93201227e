import * as z from 'zod';
import { about, path, wants } from './words.ts';

const page = (what: string, example: string) =>
  path('the path of an HTML file')
    .optional()
    .meta(about(`What is shown ${what}.`, example));

/** Own pages in place of the front's plain words. */
export const pages = z.strictObject(
  {
    paused: page('by a road that is paused (503)', 'pages/back-soon.html'),
    down: page('when a service cannot be reached, or is silent for too long (502, 504)', 'pages/down.html'),
    refused: page('to whom the networks of a gate keep out (403)', 'pages/members-only.html'),
    unknown: page(
      'for a name that is not on the map, with `unknown: not-found` (404); also for the bare address, over plain HTTP',
      'pages/nothing-here.html',
    ),
  },
  wants('paths of HTML files under `paused`, `down`, `refused` and `unknown`'),
);
