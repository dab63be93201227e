import { gatedRows } from './faults/rows-gated.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, gatedRows);
