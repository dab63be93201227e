import { wayRows } from './faults/rows-way.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, wayRows);
