import { raw } from 'hono/html';
import { pictureOf } from '../../core/report/picture.ts';
import type { Report } from '../../core/report/report.ts';
import { countWords, roadStates, stateWords } from '../../core/report/state.ts';
import { Mark, Shapes } from './marks.tsx';
import { Drawing, pictureLabel } from './picture.tsx';
import { certificatesPlot, timesPlot } from './plots.tsx';
import { Legs } from './roads.tsx';
import { Certificates, Changes, Findings, Links, Reach } from './sections.tsx';
import { filterScript, pageStyle } from './style.ts';
import { moment, since } from './words.ts';

/** By which an earlier page is known. */
export const pageSign = '<meta name="generator" content="Mile Marker report"/>';

/** A whole page in one file, which needs nothing else and sends nothing. @param refreshSeconds null: it stays as it is */
export function reportPage(report: Report, refreshSeconds: number | null): string {
  const page = String(<Page report={report} refreshSeconds={refreshSeconds} />);
  // Elements of a drawing that hold nothing end at once.
  return `<!DOCTYPE html>\n${page.replace(/><\/(?:path|use|rect)>/g, '/>')}\n`;
}

const noRun = (
  <p>
    The roads have not been tested yet. Run <code>mile-marker verify</code>.
  </p>
);

function Page({ report, refreshSeconds }: { report: Report; refreshSeconds: number | null }) {
  const { title, newest, roads, tree, check, certificates, times, changes, links, now } = report;
  const display = new Map(roads.map((road) => [road.name, road.display]));
  const living = certificates.flatMap((one) => (one.life === null ? [] : [{ ...one, life: one.life }]));
  const states = roads.map(({ state }) => state);
  return (
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        {raw(pageSign)}
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        {refreshSeconds === null ? '' : <meta http-equiv="refresh" content={String(refreshSeconds)} />}
        <meta name="robots" content="noindex" />
        <title>{`${title}: ${countWords(states)}`}</title>
        <style>{raw(pageStyle)}</style>
      </head>
      <body>
        <svg width="0" height="0" aria-hidden="true" style="position:absolute">
          <Shapes />
        </svg>
        <header>
          <h1>The roads of {title}</h1>
          <p class="soft">{whenWords(report)}</p>
          <ul class="sums">
            {roadStates
              .filter((state) => states.includes(state))
              .map((state) => (
                <li class={`c-${state}`}>
                  <Mark state={state} />
                  {`${String(states.filter((one) => one === state).length)} ${stateWords[state]}`}
                </li>
              ))}
          </ul>
          <nav aria-label="Parts of this page">
            <ul>
              {parts.map(([id, name]) => (
                <li>
                  <a href={`#${id}`}>{name}</a>
                </li>
              ))}
            </ul>
          </nav>
          <Contours />
        </header>
        <main>
          <Part id="picture">
            <div class="wide" tabindex={0} role="region" aria-label="The drawing of the roads">
              <Drawing picture={pictureOf(tree)} label={pictureLabel(report)} />
            </div>
          </Part>
          <Part id="fix">
            <ToDo newest={newest} check={check} />
          </Part>
          <Part id="roads">{newest === null ? noRun : <Legs {...report} />}</Part>
          <Part id="reach">
            <Reach {...report} />
          </Part>
          <Part id="certificates">
            {living.length === 0 ? (
              ''
            ) : (
              <div class="wide" tabindex={0} role="region" aria-label="The certificates as bars">
                <div
                  class="plot"
                  role="img"
                  aria-label="Each certificate from its first to its last day, and when it is to be renewed; the table has the same."
                >
                  {raw(certificatesPlot(living, now))}
                </div>
              </div>
            )}
            {living.length === 0 ? (
              ''
            ) : (
              <p class="soft">The lighter end is the time in which the certificate is renewed.</p>
            )}
            <Certificates certificates={certificates} now={now} />
          </Part>
          <Part id="times">
            {times.length === 0 ? (
              <p>No answer times are stored yet.</p>
            ) : (
              <>
                <div class="wide" tabindex={0} role="region" aria-label="The answer times of the roads, drawn">
                  <div
                    class="plot"
                    role="img"
                    aria-label="How long answers took in the last runs; the table of roads has the latest and the median."
                  >
                    {raw(timesPlot(times, (name) => display.get(name) ?? name))}
                  </div>
                </div>
                <p class="soft">
                  Time until the first page starts to arrive, in the last{' '}
                  {String(Math.max(...times.map(({ count }) => count)))} runs. Box: middle half of the runs. Line:
                  median. Whiskers: fastest and slowest. Dot: latest.
                </p>
              </>
            )}
          </Part>
          <Part id="changes">
            {changes.length === 0 ? (
              <p>No finding is new or fixed in the stored runs.</p>
            ) : (
              <Changes changes={changes} />
            )}
          </Part>
          <Part id="phone">
            <p>
              No machine of yours can test this: open each link in a private window, first on mobile data with Wi-Fi
              off. Each page must show a closed padlock.
            </p>
            <Links links={links} />
          </Part>
        </main>
        <footer>
          Made by mile-marker report on {moment(now)}. This page shows the names and addresses of your services. Share
          it only with people you trust.
        </footer>
        {newest === null ? '' : <script>{raw(filterScript)}</script>}
      </body>
    </html>
  );
}

const parts: ReadonlyArray<readonly [string, string]> = [
  ['picture', 'The picture'],
  ['fix', 'What to fix'],
  ['roads', 'Every road, step by step'],
  ['reach', 'Who may reach what'],
  ['certificates', 'Certificates'],
  ['times', 'Answer times'],
  ['changes', 'What changed'],
  ['phone', 'On a phone'],
];

function Part({ id, children }: { id: string; children?: unknown }) {
  return (
    <section aria-labelledby={id}>
      <h2 id={id}>{parts.find(([name]) => name === id)?.[1]}</h2>
      {children as string}
    </section>
  );
}

function ToDo({ newest, check }: Pick<Report, 'newest' | 'check'>) {
  const seen = newest?.findings ?? [];
  return (
    <>
      {newest !== null && seen.length === 0 ? <p>The latest test found nothing wrong.</p> : ''}
      {newest === null ? noRun : <Findings findings={seen} />}
      {check.length === 0 ? '' : <h3>From the map and this machine</h3>}
      <Findings findings={check} />
    </>
  );
}

function whenWords({ newest, now }: Report): string {
  if (newest === null) return `Made on ${moment(now)}. The roads have not been tested yet: run mile-marker verify.`;
  return `Latest test: ${moment(newest.at)}, ${since(now - Date.parse(newest.at))} before this page was made. ${newest.vantage}`;
}

/** Lines of equal height, as maps have them; an ornament. */
function Contours() {
  const line = (y: number): string =>
    `M0 ${String(y)}C180 ${String(y - 14)} 300 ${String(y + 12)} 480 ${String(y)}S820 ${String(y - 12)} 1000 ${String(y)}S1100 ${String(y + 6)} 1160 ${String(y - 2)}`;
  return (
    <svg class="contours" viewBox="0 0 1160 30" preserveAspectRatio="none" aria-hidden="true">
      <path d={[9, 16, 23].map(line).join('')} fill="none" stroke="currentColor" stroke-width="1" />
    </svg>
  );
}
