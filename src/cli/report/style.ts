import { colours, drawingStyle } from './colours.ts';

/** The whole style of the page. */
export const pageStyle = `${colours}${drawingStyle}
*{box-sizing:border-box}
body{margin:0;background:var(--paper);color:var(--ink);font:16px/1.5 system-ui,-apple-system,"Segoe UI","DejaVu Sans",sans-serif}
header,main,footer{max-width:1192px;margin:0 auto;padding:0 32px}
h1,h2,h3{font-family:Charter,"Bitstream Charter","Iowan Old Style","DejaVu Serif",Georgia,serif;font-weight:600;line-height:1.2}
h1{font-size:34px;margin:28px 0 4px}h2{font-size:23px;margin:44px 0 10px;border-bottom:1px solid var(--line);padding-bottom:6px}h3{font-size:17px;margin:22px 0 6px}
p{margin:6px 0;max-width:76ch}.soft{color:var(--soft)}
a{color:inherit;text-underline-offset:3px}a:focus-visible,input:focus-visible,.wide:focus-visible{outline:3px solid var(--unsure);outline-offset:2px}
nav{margin:14px 0 0}nav ul{display:flex;flex-wrap:wrap;gap:4px 20px;list-style:none;margin:0;padding:0}
.contours{display:block;width:100%;height:30px;color:var(--line)}
.sums{display:flex;flex-wrap:wrap;gap:4px 22px;margin:12px 0 0;padding:0;list-style:none;font-size:17px}
.mark{width:14px;height:14px;vertical-align:-2px;margin-right:6px}
.map{display:block;width:100%;height:auto;min-width:860px}
.wide{overflow-x:auto;margin:10px -4px;padding:4px}
table{border-collapse:collapse;font-size:14px;line-height:1.35;font-variant-numeric:tabular-nums}
th,td{text-align:left;padding:5px 14px 5px 0;border-bottom:1px solid var(--line);vertical-align:top}
thead th{color:var(--soft);font-weight:600;white-space:nowrap}tbody th{font-weight:500;overflow-wrap:anywhere;min-width:15ch}#legs td,#legs th{white-space:nowrap;padding-right:12px}#legs tbody th{white-space:normal;min-width:28ch}#legs td.s{white-space:normal;min-width:18ch}td.t{white-space:nowrap}#legs td.x,#legs td.w,#legs td.u,#legs td.n{white-space:normal;min-width:11ch}
td b{font-weight:600}.u{color:var(--unsure)}.x{color:var(--wrong)}.w{color:var(--warning)}.n{color:var(--untested)}.d{color:var(--soft)}
.strip{height:14px;width:130px;display:block}.strip path{stroke:none}
.finding{border-left:4px solid var(--line);padding:2px 0 2px 14px;margin:14px 0}.finding.error{border-color:var(--wrong)}.finding.warning{border-color:var(--warning)}.finding.note{border-color:var(--unsure)}
.finding p{overflow-wrap:anywhere}code{font:0.9em ui-monospace,"DejaVu Sans Mono",Menlo,monospace;overflow-wrap:anywhere}
.links{display:grid;grid-template-columns:repeat(auto-fill,minmax(330px,1fr));gap:14px;padding:0;list-style:none}
.links li{display:flex;gap:14px;background:var(--sheet);border:1px solid var(--line);border-radius:8px;padding:12px;break-inside:avoid}
.links p{margin:0 0 4px;font-size:14px;overflow-wrap:anywhere}.code{width:112px;height:112px;flex:none;border-radius:4px}
.plot{min-width:720px}.plot text{font:12px system-ui,-apple-system,"Segoe UI","DejaVu Sans",sans-serif;fill:var(--ink);dominant-baseline:central}.plot svg{display:block;width:100%;height:auto}.plot .middle{text-anchor:middle}.plot .end{text-anchor:end}.plot .grid,.plot .whisker,.plot .today{fill:none;stroke:var(--line)}.plot .whisker{stroke:var(--soft)}.plot .today{stroke:var(--ink)}.plot .box{fill:var(--front);stroke:var(--soft)}.plot .newest{fill:var(--unsure)}.plot .lasting{fill:var(--well)}.plot .renewing{fill:var(--road)}
.filter{display:none;margin:8px 0}.filter input{font:inherit;padding:4px 8px;border:1px solid var(--casing);border-radius:6px;background:var(--sheet);color:var(--ink)}
.scripted .filter{display:block}
footer{margin-top:56px;padding-bottom:40px;color:var(--soft);font-size:14px}
@media (max-width:600px){header,main,footer{padding:0 16px}h1{font-size:26px}.links{grid-template-columns:1fr}}
@media print{:root{color-scheme:light}body{background:#fff;font-size:11pt}header,main,footer{max-width:none;padding:0}nav,.filter,.scripted .filter,.contours{display:none}.map,.plot{min-width:0}.wide{overflow:visible}#legs{font-size:8pt}#legs td,#legs th,#legs tbody th{white-space:normal;min-width:0;padding-right:7px}.strip{width:70px}h2,h3{break-after:avoid}tr,.finding{break-inside:avoid}}
`;

/** Adds a field that narrows the table of roads. Without it nothing is lost. */
export const filterScript = `document.documentElement.classList.add('scripted');
const field=document.getElementById('narrow'),rows=[...document.querySelectorAll('#legs tbody tr')],found=document.getElementById('found');
field.addEventListener('input',()=>{const words=field.value.toLowerCase().split(/\\s+/).filter(Boolean);let shown=0;
for(const row of rows){const fits=words.every(word=>row.textContent.toLowerCase().includes(word));row.hidden=!fits;shown+=fits}
found.textContent=shown+' of '+rows.length+' shown'});`;
