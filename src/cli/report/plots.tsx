import type { Times } from '../../core/report/history.ts';
import type { ReportedCertificate } from '../../core/report/report.ts';

const width = 1128;
const mostLetters = 44;
const letterWidth = 7.2;

/** A place on the horizontal axis. @property at pixels from the left */
interface Tick {
  at: number;
  label: string;
}

/**
 * A row for each name, under an axis.
 *
 * @property left where the rows begin, behind their names @property bottom where they end
 */
interface Frame {
  names: readonly string[];
  left: number;
  top: number;
  bottom: number;
  rowHeight: number;
}

/** Answer times: a box from the lower to the upper quarter, a line at the middle, whiskers to the least and the most, a point for the newest run. */
export function timesPlot(times: readonly Times[], nameOf: (road: string) => string): string {
  const frame = frameOf(
    times.map(({ road }) => nameOf(road)),
    { top: 28, rowHeight: 18 },
  );
  // Of a time below a millisecond nobody needs to know more.
  const decades = Math.max(1, Math.ceil(Math.log10(Math.max(...times.map(({ most }) => most), 10))));
  const right = width - 24;
  const x = (ms: number): number => round(frame.left + (Math.log10(Math.max(1, ms)) / decades) * (right - frame.left));
  const ticks = Array.from({ length: decades + 1 }, (_, power): Tick => {
    const ms = 10 ** power;
    return { at: x(ms), label: ms < 1000 ? `${String(ms)} ms` : `${String(ms / 1000)} s` };
  });
  return drawn(
    frame,
    ticks,
    times.map(({ least, lower, middle, upper, most, newest }, index) => {
      const y = middleOf(frame, index);
      const [from, to] = [x(lower), x(upper)];
      return (
        <>
          <path
            class="whisker"
            d={`M${String(x(least))} ${String(y)}H${String(from)}M${String(to)} ${String(y)}H${String(x(most))}`}
          />
          <rect class="box" x={from} y={y - 4} width={Math.max(1, round(to - from))} height={8} />
          <path class="whisker" d={`M${String(x(middle))} ${String(y - 4)}v8`} />
          <path class="newest" d={`M${String(x(newest))} ${String(y - 4)}l4 4l-4 4l-4-4z`} />
        </>
      );
    }),
  );
}

type Living = ReportedCertificate & { life: NonNullable<ReportedCertificate['life']> };

/** Certificates from their first to their last day; in the lighter end they are to be renewed. */
export function certificatesPlot(certificates: readonly Living[], now: number): string {
  const frame = frameOf(
    certificates.map(({ id }) => id),
    { top: 26, rowHeight: 22 },
  );
  const first = Math.min(...certificates.map(({ life }) => life.from));
  const last = Math.max(...certificates.map(({ life }) => life.to), now);
  const right = width - 40;
  const x = (time: number): number =>
    round(frame.left + ((time - first) / Math.max(1, last - first)) * (right - frame.left));
  // A few days of the whole time: as many as there is room for.
  const ticks = Array.from({ length: 6 }, (_, index): Tick => {
    const time = first + ((last - first) / 5) * index;
    return { at: x(time), label: new Date(time).toISOString().slice(0, 10) };
  });
  const rows = certificates.map(({ life: { from, renew, to } }, index) => {
    const y = middleOf(frame, index) - 5;
    const bar = (begin: number, end: number): { x: number; y: number; width: number; height: number } => ({
      ...{ x: x(begin), y, width: Math.max(0, round(x(end) - x(begin))), height: 10 },
    });
    return (
      <>
        <rect class="lasting" {...bar(from, renew)} />
        <rect class="renewing" {...bar(renew, to)} />
      </>
    );
  });
  const today = (
    <>
      <path class="today" d={`M${String(x(now))} ${String(frame.top)}V${String(frame.bottom)}`} />
      <text class="middle" x={x(now)} y={frame.bottom + 12}>
        now
      </text>
    </>
  );
  return drawn(frame, ticks, [...rows, today], 24);
}

function frameOf(names: readonly string[], { top, rowHeight }: Pick<Frame, 'top' | 'rowHeight'>): Frame {
  const shown = names.map((name) => (name.length > mostLetters ? `${name.slice(0, mostLetters - 1)}…` : name));
  const left = 20 + letterWidth * Math.max(4, ...shown.map(({ length }) => length));
  return { names: shown, left: round(left), top, rowHeight, bottom: top + rowHeight * names.length };
}

function middleOf({ top, rowHeight }: Frame, index: number): number {
  return top + rowHeight * (index + 0.5);
}

/** @param below room under the rows */
function drawn(frame: Frame, ticks: readonly Tick[], rows: readonly unknown[], below = 8): string {
  const { names, left, top, bottom } = frame;
  return String(
    <svg xmlns="http://www.w3.org/2000/svg" viewBox={`0 0 ${String(width)} ${String(bottom + below)}`}>
      <path class="grid" d={ticks.map(({ at }) => `M${String(at)} ${String(top)}V${String(bottom)}`).join('')} />
      {ticks.map(({ at, label }) => (
        <text class="middle" x={at} y={top - 12}>
          {label}
        </text>
      ))}
      {names.map((name, index) => (
        <text class="end" x={left - 8} y={middleOf(frame, index)}>
          {name}
        </text>
      ))}
      {rows}
    </svg>,
  );
}

function round(value: number): number {
  return Math.round(value * 10) / 10;
}
