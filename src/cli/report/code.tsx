import { create } from 'qrcode/lib/core/qrcode.js';

/** A QR code (ISO/IEC 18004) that a phone's camera opens. Dark on white by day and by night, with its quiet zone, as readers want it. Its address stands beside it. */
export function Code({ url }: { url: string }) {
  const { modules } = create(segmentsOf(url), { errorCorrectionLevel: 'L' });
  const count = modules.size;
  const zone = 4;
  const side = count + 2 * zone;
  return (
    <svg class="code" aria-hidden="true" viewBox={`0 0 ${String(side)} ${String(side)}`}>
      <path fill="#fff" d={`M0 0h${String(side)}v${String(side)}H0z`} />
      <path stroke="#000" d={runsOf(count, (row, column) => Boolean(modules.get(row, column)), zone)} />
    </svg>
  );
}

/** Scheme and host are the same in capitals (RFC 3986 §6.2.2.1), and capitals take less room (ISO/IEC 18004, alphanumeric mode). */
function segmentsOf(url: string): Parameters<typeof create>[0] {
  const [, start = '', rest = ''] = /^(https?:\/\/[-a-z0-9.:]+\/?)(.*)$/i.exec(url) ?? [];
  if (start === '') return url;
  const loud = { data: start.toUpperCase(), mode: 'alphanumeric' } as const;
  return rest === '' ? [loud] : [loud, { data: rest, mode: 'byte' }];
}

/** Lines through the middle of each row; neighbours are one stretch, and each begins where the one before it ended. */
function runsOf(count: number, isDark: (row: number, column: number) => boolean, zone: number): string {
  let path = '';
  for (let row = 0; row < count; row += 1) {
    let pen: number | null = null;
    for (let column = 0; column < count; column += 1) {
      const start = column;
      while (column < count && isDark(row, column)) column += 1;
      if (column === start) continue;
      path += pen === null ? `M${String(start + zone)} ${String(row + zone)}.5` : `m${String(start - pen)} 0`;
      path += `h${String(column - start)}`;
      pen = column;
    }
  }
  return path;
}
