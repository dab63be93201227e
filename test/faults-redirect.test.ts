import { redirectRows } from './faults/rows-redirect.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, redirectRows);
