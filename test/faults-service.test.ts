import { serviceRows } from './faults/rows-service.ts';
import { testRows } from './faults/rows.ts';

testRows(__filename, serviceRows);
