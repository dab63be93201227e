import { measureFollow } from './follow.ts';
import { measureFloods } from './floods.ts';
import { measureFronts } from './fronts.ts';
import { measureInstalls } from './installs.ts';
import { measureMaps } from './maps.ts';
import { measureWrittenFiles } from './written-files.ts';
import { measureLargeFront } from './large-front.ts';
import { measureReport } from './report-page.ts';
import { measureStartUp } from './start-up.ts';
import { measureTowardMany } from './toward-many.ts';
import { measureVerify } from './verify-run.ts';

/** Measures all, or the part that is named; of the fronts only what has the words behind it. Ends with 1 when something is past its limit. */
const parts: Record<string, (only?: string) => Promise<boolean>> = {
  'start-up': measureStartUp,
  maps: measureMaps,
  'written-files': measureWrittenFiles,
  verify: measureVerify,
  report: measureReport,
  'large-front': measureLargeFront,
  fronts: measureFronts,
  floods: measureFloods,
  installs: measureInstalls,
  follow: measureFollow,
  many: measureTowardMany,
};
const [asked, only] = process.argv.slice(2);
for (const [name, measure] of Object.entries(parts))
  if ((asked === undefined || asked === name) && !(await measure(only))) process.exitCode = 1;
