import { legNames, type LegName } from '../../core/findings/finding.ts';
import type { Outcome } from '../../core/legs/leg.ts';
import type { Strip, Times } from '../../core/report/history.ts';
import type { Report, ReportedRoad } from '../../core/report/report.ts';
import { stateWords, type RoadState } from '../../core/report/state.ts';
import { Mark } from './marks.tsx';
import { moment } from './words.ts';

/** Every road, leg by leg, as the newest run saw it, with the runs before it. */
export function Legs({ roads, strips, times }: Pick<Report, 'roads' | 'strips' | 'times'>) {
  const taken = new Map(times.map((one) => [one.road, one]));
  const passed = new Map(strips.map((one) => [one.road, one]));
  const shown = legNames.filter((name) =>
    roads.some(({ legs }) => legs?.some(({ leg, outcome }) => leg === name && outcome !== 'skipped')),
  );
  return (
    <>
      <p class="filter">
        <label>
          Show roads with <input id="narrow" type="search" placeholder="wrong, nestcam, expired" />
        </label>{' '}
        <span id="found" aria-live="polite"></span>
      </p>
      <div class="wide" tabindex={0} role="region" aria-label="The legs of every road">
        <table id="legs">
          <thead>
            <tr>
              <th scope="col">road</th>
              <th scope="col">state</th>
              {shown.map((name) => (
                <th scope="col">{name}</th>
              ))}
              <th scope="col">answer</th>
              <th scope="col">usually</th>
              <th scope="col">last runs</th>
            </tr>
          </thead>
          <tbody>
            {roads.map((road) => (
              <Row road={road} shown={shown} strip={passed.get(road.name)} times={taken.get(road.name)} />
            ))}
          </tbody>
        </table>
      </div>
      <p class="soft">
        <span aria-hidden="true">-</span> means nothing to test. Answer: latest time. Usually: median of the last runs.
        Last runs: the latest is on the right; a higher bar is worse.
      </p>
    </>
  );
}

interface RowInput {
  road: ReportedRoad;
  shown: readonly LegName[];
  strip: Strip | undefined;
  times: Times | undefined;
}

function Row({ road, shown, strip, times }: RowInput) {
  const legs = new Map((road.legs ?? []).map((one) => [one.leg, one]));
  return (
    <tr>
      <th scope="row">{road.display}</th>
      <td class={`c-${road.state}`}>
        <Mark state={road.state} />
        {stateWords[road.state]}
      </td>
      {shown.map((name) => {
        const leg = legs.get(name);
        return leg === undefined || leg.outcome === 'skipped' ? (
          <td class="d">-</td>
        ) : (
          <td class={name === 'service' ? `s ${letters[leg.outcome]}` : letters[leg.outcome]}>{cell(name, leg)}</td>
        );
      })}
      <td>{times === undefined ? '' : ms(times.newest)}</td>
      <td>{times === undefined ? '' : ms(times.middle)}</td>
      <td>{strip === undefined || strip.runs.length === 0 ? '' : <Runs strip={strip} />}</td>
    </tr>
  );
}

const letters: Record<Outcome, string> = {
  ok: 'k',
  wrong: 'x',
  warning: 'w',
  unsure: 'u',
  untested: 'n',
  skipped: 'd',
};

/** Of what is well, only the service has more to say. */
function cell(leg: LegName, { outcome, says }: { outcome: Outcome; says: string }) {
  if (outcome === 'ok') return says === '' || leg !== 'service' ? 'ok' : `ok, ${says}`;
  const word = outcome === 'untested' ? 'not tested' : outcome;
  return [<b>{word}</b>, says === '' ? '' : `: ${says}`];
}

function ms(value: number): string {
  return value < 1000 ? `${String(Math.round(value))} ms` : `${(value / 1000).toFixed(1)} s`;
}

/** How high a bar of the strip is, of fourteen. */
const heights: Record<RoadState, number> = {
  wrong: 14,
  warning: 11,
  unsure: 8,
  untested: 8,
  unknown: 2,
  paused: 3,
  well: 5,
};
const barWidth = 5;

function Runs({ strip: { runs } }: { strip: Strip }) {
  const paths = new Map<RoadState, string>();
  // Runs that went the same way stand in one block.
  for (let index = 0; index < runs.length; index += 1) {
    const start = index;
    const state = runs[start]?.state ?? null;
    while (index + 1 < runs.length && runs[index + 1]?.state === state) index += 1;
    if (state === null) continue;
    const height = heights[state];
    const block = `M${String(start * barWidth)} ${String(14 - height)}h${String((index - start + 1) * barWidth - 1)}V14H${String(start * barWidth)}z`;
    paths.set(state, (paths.get(state) ?? '') + block);
  }
  const counts = [...new Set(runs.flatMap(({ state }) => state ?? []))].map(
    (state) => `${String(runs.filter((run) => run.state === state).length)} ${stateWords[state]}`,
  );
  const label = `${String(runs.length)} runs since ${moment(runs[0]?.at ?? 0)}: ${counts.join(', ') || 'none with this road'}`;
  return (
    <svg class="strip" role="img" aria-label={label} viewBox="0 0 300 14">
      {[...paths].map(([state, path]) => (
        <path class={`f-${state}`} d={path} />
      ))}
    </svg>
  );
}
