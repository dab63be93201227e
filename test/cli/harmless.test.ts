import http from 'node:http';
import fc from 'fast-check';
import pc from 'picocolors';
import { harmless } from '../../src/cli/print/harmless.ts';
import { listening, portOf } from '../support/ports.ts';
import { folderWith, mileMarker } from '../support/program.ts';

/** Everything but the text itself, new lines and tabs: Unicode's control characters and those that turn the direction. */
const obeyed = /[^\P{Cc}\n\t]|\p{Bidi_Control}|[\u2028\u2029]/u;

test('whatever others say, a terminal only shows it, and JSON reads the same text; our own colours stay', () => {
  const paint = pc.createColors(true);
  const sharp = fc.constantFrom(
    '\u001b',
    '[',
    '2',
    'J',
    ']0;',
    '\u0007',
    '\r',
    '\n',
    '\u009b',
    '\u202e',
    'm',
    '\t',
    'é',
  );
  const text = fc.oneof(
    fc.string({ unit: 'binary' }),
    fc.array(sharp).map((parts) => parts.join('')),
  );
  fc.assert(
    fc.property(text, (said) => {
      const shown = harmless(said);
      // Of what begins with an escape only a plain colour is left.
      expect(shown.replace(/\u001b\[(1|2|22|3[1-69])m/g, '')).not.toMatch(obeyed);
      expect(JSON.parse(harmless(JSON.stringify({ said })))).toEqual({ said });
      for (const colour of [paint.red, paint.green, paint.yellow, paint.blue, paint.cyan, paint.bold, paint.dim])
        expect(harmless(colour('well'))).toBe(colour('well'));
    }),
  );
});

test('the title of a page cannot speak to the terminal', async () => {
  const title = '<title>Nest\u001b[2J\u001b]0;all is well\u0007 \u202ecamera\u009b1A</title>';
  const server = await listening(
    http.createServer((_, response) => response.setHeader('content-type', 'text/html').end(title)),
    0,
  );
  const folder = folderWith({
    'mile-marker.yaml': `domains: [saltmarsh.example]\nfront: {address: 127.0.0.1}\nroads: {nestcam: {to: ":${String(portOf(server))}", gate: everyone}}\n`,
  });
  const { out } = await mileMarker(['verify', '--links'], folder);
  server.close();
  expect(out.replace(/\n\s+/g, ' ')).toContain('"Nest\\u001b[2J\\u001b]0;all is well\\u0007 \\u202ecamera\\u009b1A"');
});
