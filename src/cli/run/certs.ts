import { authorityFile, makePractice } from '../../adapters/certificates/practice.ts';
import { shownPath } from '../../adapters/files/find-map.ts';
import { readHeld } from '../../use-cases/load.ts';
import type { CommandContext } from '../commands/context.ts';
import { openSite, type OpenOptions } from '../open-site.ts';
import { jsonDocument } from '../print/json.ts';
import { style } from '../print/style.ts';
import { table } from '../print/table.ts';

export async function runCertsMake(options: OpenOptions, context: CommandContext): Promise<void> {
  const { io } = context;
  const site = await openSite(options, context, 'certs');
  if (site === null) return;
  const { plan, paths } = site;
  const results = await makePractice({ paths, certificates: plan.certificates, now: io.now() });
  const held = await readHeld(plan);
  const rows = results.map(({ certificate, made }) => ({
    names: certificate.names,
    ends: day(held.get(certificate.id)?.notAfter),
    made,
  }));
  const authority = authorityFile(paths);
  if (options.json === true) {
    io.out(jsonDocument('certs', { map: site.mapFile, authority, certificates: rows }));
    return;
  }
  const paint = style(io.colour.out);
  const head = ['covers', 'until', ''].map((word) => paint.bold(word));
  io.out(
    table(
      head,
      rows.map(({ names, ends, made }) => [names.join(' '), ends, made ? 'made' : 'kept']),
    ),
  );
  io.err(
    `Practice authority: ${shownPath(authority, io.cwd)}. Import it where you test; other people's browsers will warn.\n`,
  );
  io.err(
    plan.front.proxy === 'builtin'
      ? 'next: mile-marker serve\n'
      : 'next: mile-marker write; reload nginx if it runs already\n',
  );
}

function day(time: number | undefined): string {
  return time === undefined ? '' : new Date(time).toISOString().slice(0, 10);
}
