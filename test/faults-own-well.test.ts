import { ownHealthyRows } from './faults/rows-own.ts';
import { testRows } from './faults/rows.ts';

// Each of the four fronts comes by in turn.
testRows(__filename, ownHealthyRows, 5);
