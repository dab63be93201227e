import { steadyRows } from './faults/rows-steady.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, steadyRows);
