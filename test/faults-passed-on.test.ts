import { passedOnRows } from './faults/rows-passed-on.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, passedOnRows);
