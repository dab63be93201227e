import { cpSync, readFileSync } from 'node:fs';
import { parse } from 'yaml';

/** What a command on a large map is held against: its YAML read once, and the same bytes written where the command writes. */
parse(readFileSync('mile-marker.yaml', 'utf8'), { uniqueKeys: false });
const [from, to] = process.argv.slice(2);
if (from !== undefined && to !== undefined) cpSync(from, to, { recursive: true });
