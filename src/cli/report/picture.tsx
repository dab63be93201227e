import type { Picture, Stretch } from '../../core/report/picture.ts';
import type { Report } from '../../core/report/report.ts';
import { countWords } from '../../core/report/state.ts';
import { colours, drawingStyle } from './colours.ts';
import { Shapes } from './marks.tsx';

/** The drawing inside a page that has the shapes and colours. @param label what it shows, for who cannot see it */
export function Drawing({ picture, label }: { picture: Picture; label: string }) {
  return (
    <svg class="map" role="img" aria-label={label} viewBox={`0 0 ${String(picture.width)} ${String(picture.height)}`}>
      <Inside picture={picture} />
    </svg>
  );
}

/** What the drawing shows, for who cannot see it. */
export function pictureLabel({ tree: { address, front, gates }, roads }: Report): string {
  const words = gates.map(({ name, places }) => {
    const ends = places.flatMap(({ leaves }) => leaves).length;
    return `${String(ends)} behind gate ${name}`;
  });
  return `From ${address} (${front.join(', ')}): ${words.join(', ')}. ${countWords(roads.map(({ state }) => state))}. The table of roads has all of it in words.`;
}

/** By which an earlier drawing is known. */
export const drawingSign = '<!-- Mile Marker: the roads -->';

/** The drawing as a file of its own. */
export function drawingFile(picture: Picture, label: string): string {
  const { width, height } = picture;
  const margin = 16;
  const view = [-margin, -margin, width + 2 * margin, height + 2 * margin];
  const size = { width: view[2], height: view[3], viewBox: view.join(' ') };
  return `${drawingSign}\n${String(
    <svg xmlns="http://www.w3.org/2000/svg" class="map" role="img" aria-label={label} {...size}>
      <style>{colours + drawingStyle}</style>
      <Shapes />
      <rect x={-margin} y={-margin} width={view[2]} height={view[3]} fill="var(--paper)" />
      <Inside picture={picture} />
    </svg>,
  )}\n`;
}

function Inside({ picture }: { picture: Picture }) {
  const { stretches, boxes, lines, marks } = picture;
  const road = stretches.map(pathOf).join('');
  return (
    <>
      <path class="under" d={road} />
      <path class="over" d={road} />
      {boxes.map(({ kind, x, y, width, height }) => (
        <rect class={kind} x={x} y={y} width={width} height={height} rx={kind === 'gate' ? 3 : 8} />
      ))}
      {marks.map(({ x, y, state }) => (
        <use href={`#m-${state}`} x={short(x)} y={short(y)} />
      ))}
      {lines.map(({ kind, x, y, text, full, state }) => (
        <text class={state === null ? kind : `${kind} f-${state}`} x={short(x)} y={short(y)}>
          {full === text ? text : [text, <title>{full}</title>]}
        </text>
      ))}
    </>
  );
}

/** Corners are round, as roads turn. */
function pathOf({ points }: Stretch): string {
  const [start, ...rest] = points;
  if (start === undefined) return '';
  const [, second, third, last] = points;
  if (second === undefined || third === undefined || last === undefined)
    return `M${start.map(short).join(' ')}${rest.map((point) => `L${point.map(short).join(' ')}`).join('')}`;
  const down = Math.sign(third[1] - second[1]);
  const bend = Math.min(12, Math.abs(third[1] - second[1]) / 2);
  return `M${start.map(short).join(' ')}H${short(second[0] - bend)}q${short(bend)} 0 ${short(bend)} ${short(down * bend)}V${short(third[1] - down * bend)}q0 ${short(down * bend)} ${short(bend)} ${short(down * bend)}H${short(last[0])}`;
}

function short(value: number): string {
  return String(Math.round(value * 10) / 10);
}
