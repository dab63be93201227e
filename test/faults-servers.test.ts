import { serverRows } from './faults/rows-servers.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, serverRows);
