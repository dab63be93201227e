import { oddRows } from './faults/rows-odd.ts';
import { testRows } from './faults/rows.ts';

// Seven fronts come by in turn.
testRows(__filename, oddRows, 8);
