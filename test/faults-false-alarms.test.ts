import { healthyRows } from './faults/rows-healthy.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, healthyRows);
