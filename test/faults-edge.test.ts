import { edgeHealthyRows, edgeRows } from './faults/rows-edge.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, [...edgeRows, ...edgeHealthyRows]);
