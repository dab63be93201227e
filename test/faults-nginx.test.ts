import { nginxRows } from './faults/rows-nginx.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, nginxRows);
