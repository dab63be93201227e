import { causeRows } from './faults/rows-causes.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, causeRows);
