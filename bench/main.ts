import { measureFronts } from './fronts.ts';
import { measureStartUp } from './start-up.ts';

/** Measures all, or the parts that are named. Ends with 1 when something is past its limit. */
const parts: Record<string, () => Promise<boolean>> = { 'start-up': measureStartUp, fronts: measureFronts };
const asked = process.argv.slice(2);
for (const [name, measure] of Object.entries(parts))
  if ((asked.length === 0 || asked.includes(name)) && !(await measure())) process.exitCode = 1;
