/** Paper by day, the same map by night. Text of each colour has a contrast of at least 4.5 on its ground (WCAG 2.2, 1.4.3). */
export const colours = `
:root{color-scheme:light dark;--paper:#f7f4ec;--sheet:#fffdf7;--ink:#26302c;--soft:#586259;--line:#d8d1bf;--casing:#b3a88c;--road:#f4d98b;--front:#dce9ea;--gate:#efe2c8;
--well:#256b49;--wrong:#b3231b;--warning:#8a5300;--unsure:#3d5f86;--untested:#4b6273;--unknown:#6a6a62;--paused:#6b5a7d}
@media (prefers-color-scheme:dark){:root{--paper:#171c1a;--sheet:#1f2523;--ink:#e9e5d8;--soft:#a9b0a4;--line:#39423d;--casing:#0e1211;--road:#7c6a3c;--front:#22363b;--gate:#3a3225;
--well:#76c79b;--wrong:#ff8f84;--warning:#e9b45c;--unsure:#94bbe8;--untested:#a5bccb;--unknown:#a5a59a;--paused:#c3acd8}}
${['well', 'wrong', 'warning', 'unsure', 'untested', 'unknown', 'paused'].map((state) => `.f-${state}{fill:var(--${state})}.c-${state}{color:var(--${state})}`).join('')}
`;

/** Of the drawing of roads. */
export const drawingStyle = `
.map text{font-family:ui-monospace,"DejaVu Sans Mono","Liberation Mono",Menlo,Consolas,monospace;fill:var(--ink)}
.map .title{font-size:13px;font-weight:600}.map .small{font-size:11px;fill:var(--soft)}.map .name{font-size:12px}.map .leads{font-size:11px;fill:var(--soft)}.map .state{font-size:11px}
${['well', 'wrong', 'warning', 'unsure', 'untested', 'unknown', 'paused'].map((state) => `.map .state.f-${state}{fill:var(--${state})}`).join('')}
.map .front{fill:var(--front);stroke:var(--casing)}.map .gate{fill:var(--gate);stroke:var(--casing)}.map .place{fill:var(--sheet);stroke:var(--line)}
.map .under{fill:none;stroke:var(--casing);stroke-width:8}.map .over{fill:none;stroke:var(--road);stroke-width:5}
`;
