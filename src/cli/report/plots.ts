import { BarChart, BoxplotChart, ScatterChart } from 'echarts/charts';
import { GridComponent, MarkLineComponent } from 'echarts/components';
import { init, use, type EChartsCoreOption } from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import type { Times } from '../../core/report/history.ts';
import type { ReportedCertificate } from '../../core/report/report.ts';

use([BarChart, BoxplotChart, ScatterChart, GridComponent, MarkLineComponent, SVGRenderer]);

const width = 1128;
const text = { color: 'var(--ink)', fontFamily: 'inherit', fontSize: 12 };
const faint = { lineStyle: { color: 'var(--line)' } };

/** Answer times: a box from the lower to the upper quarter, a line at the middle, whiskers to the least and the most, a point for the newest run. */
export function timesPlot(times: readonly Times[], nameOf: (road: string) => string): string {
  const names = times.map(({ road }) => nameOf(road));
  return plot(40 + 18 * times.length, {
    grid: { left: roomFor(names), right: 24, top: 28, bottom: 8 },
    xAxis: {
      type: 'log',
      min: 1,
      position: 'top',
      axisLabel: {
        ...text,
        formatter: (value: number) => (value < 1000 ? `${String(value)} ms` : `${String(value / 1000)} s`),
      },
      splitLine: { show: true, ...faint },
    },
    yAxis: categories(names),
    series: [
      {
        type: 'boxplot',
        data: times.map(({ least, lower, middle, upper, most }) => [least, lower, middle, upper, most]),
        itemStyle: { color: 'var(--front)', borderColor: 'var(--soft)', borderWidth: 1 },
        boxWidth: [5, 10],
      },
      {
        type: 'scatter',
        data: times.map(({ newest }, index) => [newest, index]),
        symbol: 'diamond',
        symbolSize: 8,
        itemStyle: { color: 'var(--unsure)' },
      },
    ],
  });
}

type Living = ReportedCertificate & { life: NonNullable<ReportedCertificate['life']> };

/** Certificates from their first to their last day; in the lighter end they are to be renewed. */
export function certificatesPlot(certificates: readonly Living[], now: number): string {
  const names = certificates.map(({ id }) => id);
  const first = Math.min(...certificates.map(({ life }) => life.from));
  const last = Math.max(...certificates.map(({ life }) => life.to), now);
  const stretch = (color: string, length: (life: Living['life']) => number): object => ({
    type: 'bar',
    stack: 'life',
    barWidth: 10,
    data: certificates.map(({ life }) => length(life)),
    itemStyle: { color },
  });
  return plot(58 + 22 * certificates.length, {
    grid: { left: roomFor(names), right: 40, top: 26, bottom: 28 },
    xAxis: {
      type: 'value',
      min: first,
      max: last,
      // A few days of the whole time: as many as there is room for.
      interval: (last - first) / 5,
      axisLabel: { ...text, formatter: (value: number) => new Date(value).toISOString().slice(0, 10) },
      splitLine: { show: true, ...faint },
    },
    yAxis: categories(names),
    series: [
      stretch('transparent', ({ from }) => from),
      stretch('var(--well)', ({ from, renew }) => renew - from),
      {
        ...stretch('var(--road)', ({ renew, to }) => to - renew),
        markLine: {
          symbol: 'none',
          data: [{ xAxis: now }],
          lineStyle: { color: 'var(--ink)', type: 'solid', width: 1 },
          label: { ...text, formatter: 'now', position: 'start' },
        },
      },
    ],
  });
}

function categories(names: readonly string[]): object {
  return {
    type: 'category',
    inverse: true,
    data: names.map(shortName),
    axisLabel: { ...text, interval: 0 },
    axisTick: { show: false },
    axisLine: faint,
  };
}

const mostLetters = 44;
const shortName = (name: string): string => (name.length > mostLetters ? `${name.slice(0, mostLetters - 1)}…` : name);
const roomFor = (names: readonly string[]): number =>
  20 + 7.2 * Math.max(4, ...names.map((name) => shortName(name).length));

/** Without a browser: echarts writes the SVG as text. Colours are names of the page's own. */
function plot(height: number, option: EChartsCoreOption): string {
  const chart = init(null, null, { renderer: 'svg', ssr: true, width, height });
  chart.setOption({ animation: false, textStyle: text, ...option });
  const svg = chart.renderToSVGString({ useViewBox: true });
  chart.dispose();
  // What every text of it repeats stands in the style of the page.
  return svg
    .replaceAll(' style="font-size:12px;font-family:inherit;"', '')
    .replaceAll(' dominant-baseline="central"', '')
    .replaceAll(' fill="var(--ink)"', '');
}
