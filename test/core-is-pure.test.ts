import { join } from 'node:path';
import vm from 'node:vm';
import { buildSync, type Metafile } from 'esbuild';

const root = join(__dirname, '..');

function bundleCore(): { code: string; inputs: Metafile['inputs'] } {
  const entry = `
    export { readMap } from './src/core/map/read-map.ts';
    export { makePlan } from './src/core/plan/make-plan.ts';
    export { prepare, decide } from './src/core/verdict/decide.ts';
    export { runRules } from './src/core/rules/all-rules.ts';
    export { programOf } from './src/core/proxies/programs.ts';
    export { findingsPage } from './src/core/findings/page.ts';
    export { readCompose } from './src/core/inventory/compose.ts';
  `;
  const { outputFiles, metafile } = buildSync({
    absWorkingDir: root,
    stdin: { contents: entry, resolveDir: root, loader: 'ts' },
    bundle: true,
    write: false,
    metafile: true,
    format: 'iife',
    globalName: 'core',
    // For the browser esbuild refuses every module of Node, in our files and in those of the packages they use.
    platform: 'browser',
    target: 'node20',
    logLevel: 'silent',
  });
  return { code: outputFiles[0]?.text ?? '', inputs: metafile.inputs };
}

describe('the core', () => {
  const { code, inputs } = bundleCore();

  test('imports nothing outside itself but a few pure packages, all the way down', () => {
    const outside = Object.keys(inputs).filter((path) => path.startsWith('src/') && !path.startsWith('src/core/'));
    expect(outside).toEqual([]);
    const packages = new Set(
      Object.keys(inputs).flatMap((path) => /node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(path)?.[1] ?? []),
    );
    expect([...packages].sort()).toEqual(['fastest-levenshtein', 'ipaddr.js', 'punycode', 'yaml', 'zod']);
  });

  test('runs where there is no clock, no chance, no console, no process and no network', () => {
    const context = vm.createContext({ URL });
    vm.runInContext(
      `Math.random = () => { throw new Error('chance'); };
       Date.now = () => { throw new Error('clock'); };
       globalThis.Date = new Proxy(Date, { construct(target, args) { if (args.length === 0) throw new Error('clock'); return Reflect.construct(target, args); } });`,
      context,
    );
    vm.runInContext(`${code}; globalThis.core = core;`, context);
    const result = vm.runInContext(
      `(() => {
        const { map, findings } = core.readMap({ file: 'm', text: 'domains: [saltmarsh.example]\\nfront: {address: 203.0.113.24}\\nroads: {nestcam: nestcam:3000}\\n' });
        const { services } = core.readCompose({ file: 'c', text: 'services: {nestcam: {ports: ["3000:3000"]}}', project: 'p', variables: {} });
        const inventory = { services, networks: [], asked: false, failed: false, machines: [], nodes: [] };
        const host = { addresses: [], gateway: null, resolvers: [], trustedRoots: null, compose: 'docker compose', lookalikes: [] };
        const { plan, front } = core.makePlan({ map, inventory, host, certificatesFolder: '/c', challengesFolder: '/h', mapFolder: '/m' });
        const rules = core.runRules({ map, plan, front, inventory, certificates: new Map(), served: null, host, sockets: [], pages: [], notObeyed: [], installed: { version: null, modules: null }, files: { people: new Map(), folders: new Map(), authorities: new Map(), bars: [], proxyUser: null, mapFolder: '/m' }, issuedBy: new Map(), isWalled: false, former: null, room: null, owner: null, updateKey: null, hsts: new Map(), startsAtBoot: null, now: 0 });
        const files = core.programOf('nginx').renderer.render(plan, { current: '/f/current' });
        const request = { listener: 'http', sni: null, host: ['nestcam.saltmarsh.example'], method: 'GET', target: '/', httpVersion: '1.1', peer: '127.0.0.1', headers: {}, person: 'none', overRate: false };
        const again = core.prepare(JSON.parse(JSON.stringify(plan)));
        return { findings: findings.length, rules: rules.map((f) => f.rule).join(), files: files.length, act: core.decide(again, request).location };
      })()`,
      context,
    ) as unknown;
    expect(JSON.parse(JSON.stringify(result))).toEqual({
      findings: 0,
      rules: 'no-certificate,no-restart-policy,service-published-to-everyone',
      files: 5,
      act: 'https://nestcam.saltmarsh.example/',
    });
  });
});
