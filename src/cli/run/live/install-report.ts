import type { TestedFront, Worse } from '../../../core/live/made-worse.ts';
import { countStandings } from '../../../core/legs/leg.ts';
import type { Plan, PlannedCertificate } from '../../../core/plan/plan.ts';
import { editionNumber } from '../../../core/proxies/edition.ts';
import { realOne } from '../../../core/certificates/lack.ts';
import { commandFor } from '../../../core/rules/names/no-certificate.ts';
import { liveWords } from '../../../use-cases/live/front-moves.ts';
import type { Installed } from '../../../use-cases/live/install-front.ts';
import type { MovingOf } from '../../../use-cases/live/moving.ts';
import type { Prepared } from '../../../use-cases/live/preview-install.ts';
import { readHeld, type Site } from '../../../use-cases/map/load.ts';
import type { Io } from '../../io.ts';
import type { OpenOptions } from '../../open-site.ts';
import { formatFindings } from '../../print/findings.ts';
import { jsonDocument } from '../../print/json.ts';
import { movingAsJson } from '../../print/moving.ts';
import { plural, wrap } from '../../print/style.ts';

/** A service that answers is reached, whatever else is wrong on the way: that was so before as well. */
function isReached(legs: TestedFront['roads'][number]['legs']): boolean {
  return legs.some(({ leg, outcome }) => leg === 'service' && (outcome === 'ok' || outcome === 'warning'));
}

/** Whether of the roads that should work by now none does: one without its certificate is still on its way. */
export function nothingWorks(result: Installed, plan: Plan): boolean {
  if (result.end !== 'live' || lackingCertificate(plan) !== undefined) return false;
  const { roads } = result.after;
  return (
    roads.length > 0 && roads.every(({ legs }) => !isReached(legs) && legs.some(({ outcome }) => outcome === 'wrong'))
  );
}

function lackingCertificate(plan: Plan): PlannedCertificate | undefined {
  const held = readHeld(plan);
  return plan.certificates.find(({ id }) => realOne(held.get(id)) === null);
}

/** A road without a certificate is not well, and the front that answers the challenge runs now. */
function afterLive(plan: Plan): string {
  const missing = lackingCertificate(plan);
  return missing === undefined ? 'mile-marker verify' : `${commandFor(missing)}\nthen: mile-marker verify`;
}

/** Says how an installation ended, and what to do next. */
export function reportInstalled(result: Installed, { plan }: Site, { json }: OpenOptions, io: Io): void {
  const number = editionNumber(result.edition);
  switch (result.end) {
    case 'same':
      io.err(`Edition ${number} is live already.\nnext: mile-marker verify\n`);
      return;
    case 'back':
      if (json !== true) io.out(worseWords(result.worse, io));
      io.err(
        wrap(
          `Edition ${number} made this worse, so it was undone. Live now: ${liveWords(result.from)}, as before.`,
          io,
        ),
      );
      io.err('next: fix that in the map, then: mile-marker install\n');
      return;
    case 'live': {
      const { well, untested, unsure, faulty } = countStandings(result.after.roads);
      const of = well + untested + unsure + faulty;
      const wrong = result.after.findings.filter(({ severity }) => severity === 'error');
      if (json !== true && wrong.length > 0)
        io.out(`\n${formatFindings(wrong, { width: io.width, colour: io.colour.out })}\n`);
      const rest = untested + unsure === 0 ? '' : `, ${String(untested + unsure)} not tested completely`;
      const bad = faulty === 0 ? '' : `, ${String(faulty)} with something wrong`;
      io.err(
        `Edition ${number} is live. At the front itself: ${String(well)} of ${plural(of, 'road')} ${of === 1 ? 'works' : 'work'}${bad}${rest}.\n`,
      );
      io.err(`next: ${afterLive(plan)}\n      to go back: mile-marker undo front\n`);
    }
  }
}

function worseWords(worse: readonly Worse[], io: Io): string {
  const findings = [...new Set(worse.map(({ because }) => because))];
  return formatFindings(findings, { width: io.width, colour: io.colour.out });
}

/** The same as data. @param result null where nothing was done yet */
export function installDocument(
  site: Site,
  { changes, truth, place }: Prepared,
  result: Installed | null,
  moving: MovingOf | null,
): string {
  return jsonDocument('install', {
    map: site.mapFile,
    end: result?.end ?? 'not-yet',
    running: truth.said === null ? null : (truth.foreign ?? truth.live?.edition ?? null),
    ...(result === null ? {} : { edition: result.edition }),
    include: place.how === 'file' ? place.path : null,
    changes: changes.map(({ path }) => path),
    moving: movingAsJson(moving),
    findings:
      result?.end === 'live'
        ? result.after.findings
        : result?.end === 'back'
          ? [...new Set(result.worse.map(({ because }) => because))]
          : [],
  });
}
