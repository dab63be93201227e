#!/usr/bin/env node

import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { loadCompiled } from './load-compiled.ts';

/**
 * What is run first. What needs nothing of the program is answered without loading it; the rest is loaded as it was compiled the last time.
 */

declare const MILE_MARKER_VERSION: string;

const [first, ...more] = process.argv.slice(2);
const width = Math.min(process.stdout.columns ?? 80, 100);
/** Written when the program is built, for the two widths that most terminals amount to. */
const help = join(__dirname, `help-${String(width)}.txt`);
const isHelp = first === '--help' && existsSync(help);
if (more.length > 0 || (first !== '--version' && !isHelp)) loadCompiled(join(__dirname, 'program.js'), first ?? '');
else {
  // A reader that goes away (`| head`) is no mistake.
  process.stdout.on('error', () => process.exit());
  process.stdout.write(isHelp ? readFileSync(help) : `${MILE_MARKER_VERSION}\n`);
}
