import type { NewestRun } from '../legs/journal.ts';
import type { ReportedCertificate, ReportedRoad } from './report.ts';
import { roadStates } from './state.ts';

interface MetricsInput {
  newest: NewestRun;
  roads: readonly ReportedRoad[];
  certificates: readonly ReportedCertificate[];
  /** Milliseconds since the epoch. */
  now: number;
}

type Sample = [labels: Record<string, string>, value: number];

/** @property unit a suffix of the name; null for a number or a state */
interface Family {
  name: string;
  unit: string | null;
  help: string;
  samples: Sample[];
}

/** By which an earlier file is known. */
export const metricsSign = '# TYPE mile_marker_';

/**
 * A run as text of OpenMetrics 1.0, gauges alone, which collectors of the older Prometheus text format read as well. Legs that were skipped have no sample;
 * of what was not tested to its end `mile_marker_leg_tested` is 0, and it is not ok.
 */
export function metricsOf({ newest, roads, certificates, now }: MetricsInput): string {
  const living = certificates.flatMap(({ id, life }) => (life === null ? [] : [{ id, life }]));
  const legs = newest.roads.flatMap(({ road, legs: own }) =>
    own.filter(({ outcome }) => outcome !== 'skipped').map(({ leg, outcome }) => ({ labels: { road, leg }, outcome })),
  );
  const families: Family[] = [
    {
      ...{ name: 'run_timestamp', unit: 'seconds', help: 'When the run ended.' },
      samples: [[{}, Date.parse(newest.at) / 1000]],
    },
    {
      ...{ name: 'roads', unit: null, help: 'How many roads are in each state.' },
      samples: roadStates.map((state) => [{ state }, roads.filter((road) => road.state === state).length]),
    },
    {
      ...{ name: 'road_well', unit: null, help: '1 when the road was tested completely and works.' },
      samples: roads.map(({ name, state }) => [{ road: name }, state === 'well' ? 1 : 0]),
    },
    {
      ...{ name: 'leg_ok', unit: null, help: '1 when this step works.' },
      samples: legs.map(({ labels, outcome }) => [labels, outcome === 'ok' ? 1 : 0]),
    },
    {
      ...{ name: 'leg_tested', unit: null, help: '1 when this step was tested completely.' },
      samples: legs.map(({ labels, outcome }) => [labels, ['unsure', 'untested'].includes(outcome) ? 0 : 1]),
    },
    {
      ...{ name: 'answer', unit: 'seconds', help: 'How long the head of the answer to the first page took.' },
      samples: newest.roads.flatMap(({ road, millis }): Sample[] =>
        millis === null ? [] : [[{ road }, millis / 1000]],
      ),
    },
    {
      ...{ name: 'findings', unit: null, help: 'How many findings the run has.' },
      samples: (['error', 'warning', 'note'] as const).map((severity) => [
        { severity },
        newest.findings.filter((finding) => finding.severity === severity).length,
      ]),
    },
    {
      ...{
        name: 'certificate_left',
        unit: 'days',
        help: 'Days until the stored certificate ends; negative when it has.',
      },
      samples: living.map(({ id, life }) => [{ certificate: id }, Math.floor((life.to - now) / 86_400_000)]),
    },
    {
      ...{ name: 'certificate_end_timestamp', unit: 'seconds', help: 'When the stored certificate ends.' },
      samples: living.map(({ id, life }) => [{ certificate: id }, life.to / 1000]),
    },
  ];
  return `${families.map(familyText).join('')}# EOF\n`;
}

/** OpenMetrics 1.0, "Text format". */
function familyText({ name, unit, help, samples }: Family): string {
  const whole = `mile_marker_${name}${unit === null ? '' : `_${unit}`}`;
  const head = [
    `# TYPE ${whole} gauge`,
    ...(unit === null ? [] : [`# UNIT ${whole} ${unit}`]),
    `# HELP ${whole} ${help}`,
  ];
  const lines = samples.map(([labels, value]) => `${whole}${labelText(labels)} ${String(value)}`);
  return [...head, ...lines].map((line) => `${line}\n`).join('');
}

function labelText(labels: Record<string, string>): string {
  const pairs = Object.entries(labels).map(([name, value]) => `${name}="${escaped(value)}"`);
  return pairs.length === 0 ? '' : `{${pairs.join(',')}}`;
}

function escaped(value: string): string {
  return value.replace(/\\/g, '\\\\').replace(/"/g, '\\"').replace(/\n/g, '\\n');
}
