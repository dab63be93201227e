import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Looks at a page as a browser shows it. */

const program = '/usr/bin/chromium';
// Nothing is asked of any other machine, and no profile is left.
const quiet = ['--disable-background-networking', '--disable-component-update', '--disable-sync', '--disable-quic'];
const flags = ['--headless', '--no-sandbox', '--disable-gpu', '--no-first-run', ...quiet];

export interface Looked {
  /** What the accessibility checker found, by rule. */
  violations: Array<{ id: string; nodes: string[] }>;
  /** How much wider the page is than the window. */
  beyond: number;
  /** Text that is drawn wider than its box, of the drawing of roads. */
  cut: string[];
  /** Whatever the page asked another server for. */
  asked: string[];
}

/** What axe says of the page, in light or dark, and whether it fits the window. @throws Error with the line that installs the browser */
export function lookAt(page: string, { width, dark }: { width: number; dark: boolean }): Looked {
  if (!existsSync(program)) throw new Error('chromium is missing; install it with: apt-get install chromium');
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-browser-'));
  try {
    const axe = readFileSync(join(__dirname, '../../node_modules/axe-core/axe.min.js'), 'utf8');
    const file = join(folder, 'page.html');
    writeFileSync(
      file,
      page.replace('</body>', () => `<script>${axe}</script><script>(${look})()</script></body>`),
    );
    const own = [
      `--user-data-dir=${join(folder, 'profile')}`,
      `--window-size=${String(width)},800`,
      '--virtual-time-budget=60000',
    ];
    const scheme = `--blink-settings=preferredColorScheme=${dark ? '0' : '1'}`;
    const argv = [...flags, ...own, scheme, '--dump-dom', `file://${file}`];
    const { stdout, stderr } = spawnSync(program, argv, {
      encoding: 'utf8',
      maxBuffer: 64 * 1024 * 1024,
      timeout: 100_000,
    });
    const told = /<pre id="looked">([^<]*)<\/pre>/.exec(stdout)?.[1];
    if (told === undefined) throw new Error(`the browser said nothing: ${stderr.slice(-2000)}`);
    return JSON.parse(told.replaceAll('&gt;', '>').replaceAll('&lt;', '<').replaceAll('&amp;', '&')) as Looked;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Runs in the page. */
const look = `async () => {
  const { violations } = await axe.run(document, { resultTypes: ['violations'] });
  const boxes = [...document.querySelectorAll('.map rect')].map((one) => one.getBBox());
  const cut = [...document.querySelectorAll('.map text')].filter((one) => {
    const text = one.getBBox();
    return !boxes.some((box) => text.x >= box.x && text.x + text.width <= box.x + box.width && text.y + text.height / 2 >= box.y && text.y + text.height / 2 <= box.y + box.height);
  });
  const told = document.createElement('pre');
  told.id = 'looked';
  told.textContent = JSON.stringify({
    violations: violations.map(({ id, nodes }) => ({ id, nodes: nodes.slice(0, 3).map(({ html, failureSummary }) => html.slice(0, 200) + ' ' + failureSummary) })),
    beyond: document.scrollingElement.scrollWidth - document.scrollingElement.clientWidth,
    cut: cut.map((one) => one.textContent),
    asked: performance.getEntriesByType('resource').map(({ name }) => name),
  });
  document.body.append(told);
}`;

/** A file with key and certificate, and its password. */
interface Imported {
  file: string;
  password: string;
}

/**
 * What a browser shows that has a certificate in its store, as whoever imported it there has it, and shows it where it is asked. Null: it has none. A policy stands
 * in for the click that chooses it, in a mount namespace of its own; that takes root.
 */
export function visitAs(imported: Imported | null, url: string): string {
  for (const [path, name] of Object.entries({ [program]: 'chromium', '/usr/bin/pk12util': 'libnss3-tools' }))
    if (!existsSync(path)) throw new Error(`${name} is missing; install it with: apt-get install ${name}`);
  const folder = mkdtempSync(join(tmpdir(), 'mile-marker-browser-'));
  try {
    const store = join(folder, '.pki/nssdb');
    const policies = join(folder, 'policies/managed');
    for (const path of [store, policies]) mkdirSync(path, { recursive: true });
    ran('certutil', '-N', '-d', `sql:${store}`, '--empty-password');
    if (imported !== null) ran('pk12util', '-i', imported.file, '-d', `sql:${store}`, '-W', imported.password);
    const { origin, hostname } = new URL(url);
    const choice = JSON.stringify({ pattern: origin, filter: {} });
    writeFileSync(join(policies, 'choice.json'), JSON.stringify({ AutoSelectCertificateForUrls: [choice] }));
    const own = [`--user-data-dir=${join(folder, 'profile')}`, `--host-resolver-rules=MAP ${hostname} 127.0.0.1`];
    const words = [...flags, ...own, '--ignore-certificate-errors', '--timeout=20000', '--dump-dom', url];
    const script =
      'mkdir -p /etc/chromium && mount -t tmpfs none /etc/chromium && mkdir /etc/chromium/policies && mount --bind "$1" /etc/chromium/policies && shift && exec "$@"';
    // Networks of this machine come and go while other tests run, and a browser gives up whatever it has begun then.
    for (let tries = 1; ; tries += 1) {
      const { stdout, stderr, error } = spawnSync(
        'unshare',
        ['--mount', 'sh', '-c', script, 'sh', join(folder, 'policies'), program, ...words],
        { encoding: 'utf8', timeout: 60_000, env: { ...process.env, HOME: folder } },
      );
      if (error !== undefined) throw error;
      if (stdout !== '') return stdout;
      if (tries === 10 || !stderr.includes('ERR_NETWORK_CHANGED'))
        throw new Error(`the browser said nothing: ${stderr.slice(-2000)}`);
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

function ran(...[command = '', ...words]: string[]): void {
  const { status, stdout, stderr } = spawnSync(command, words, { encoding: 'utf8', timeout: 30_000 });
  if (status !== 0) throw new Error(`${command}: ${stdout}${stderr}`);
}
