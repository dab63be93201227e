/** How the practice authority is called, by which what it issued is known again. */
export const practiceName = 'Mile Marker practice authority';
