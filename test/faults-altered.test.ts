import { alteredRows } from './faults/rows-altered.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, alteredRows);
