import { chmodSync, existsSync, mkdirSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import tls from 'node:tls';
import { join } from 'node:path';
import { nginxAdapter } from '../src/adapters/proxies/nginx/adapter.ts';
import { nginxProgram, startFront } from './support/fronts.ts';
import { freePorts } from './support/ports.ts';
import { folderWith, mileMarker } from './support/program.ts';
import { practiceHead } from './support/site.ts';

/** The adapter against the installed nginx, run as a child of its own on a port of its own. */

const configuration = (folder: string, port: number, says: string): string => `pid ${folder}/nginx.pid;
error_log ${folder}/error.log;
events {}
http {
  access_log off;
  client_body_temp_path ${folder}/body; proxy_temp_path ${folder}/proxy; fastcgi_temp_path ${folder}/fastcgi;
  uwsgi_temp_path ${folder}/uwsgi; scgi_temp_path ${folder}/scgi;
  server { listen 127.0.0.1:${String(port)}; return 200 "${says}"; }
}
`;

function answerOf(port: number): Promise<string> {
  return new Promise((resolve, reject) => {
    http
      .get({ host: '127.0.0.1', port, agent: false }, (response) => {
        let text = '';
        response.setEncoding('utf8').on('data', (part: string) => (text += part));
        response.on('end', () => resolve(text));
      })
      .on('error', reject);
  });
}

/** Workers come and go beside the call that has them do so. */
async function answers(port: number, wanted: string): Promise<string> {
  let last = '';
  for (let tries = 0; tries < 300 && last !== wanted; tries += 1) {
    last = await answerOf(port).catch((error: Error) => error.message);
    if (last !== wanted) await new Promise((resolve) => setTimeout(resolve, 20));
  }
  return last;
}

test('it is found, and says its version and what it is built with', async () => {
  const program = await nginxAdapter.find(process.env);
  expect(program).toBe(nginxProgram());
  expect(await nginxAdapter.version(program)).toMatch(/^\d+\.\d+\.\d+$/);
  expect(await nginxAdapter.modules(program)).toEqual(expect.arrayContaining(['http_ssl_module', 'http_v2_module']));
  const empty = folderWith();
  expect(await nginxAdapter.find({ PATH: empty }).catch(() => 'missing')).toBe(program);
});

test('it tests, starts, takes a change up anew, and stops; what it does not take is told in its own words', async () => {
  const folder = folderWith();
  chmodSync(folder, 0o755);
  const [port = 0] = await freePorts(1);
  const config = join(folder, 'nginx.conf');
  writeFileSync(config, configuration(folder, port, 'gulls'));
  const program = nginxProgram();
  expect(await nginxAdapter.test(program, { config, current: folder })).toMatchObject({ passed: true });
  const running = await nginxAdapter.start(program, { config, current: folder });
  try {
    expect(await answers(port, 'gulls')).toBe('gulls');
    writeFileSync(config, configuration(folder, port, 'terns'));
    expect(await nginxAdapter.reload(program, { config, current: folder })).toMatchObject({ passed: true });
    expect(await answers(port, 'terns')).toBe('terns');
    writeFileSync(config, 'http { gulls; }');
    const refused = { passed: false, output: expect.stringContaining('unknown directive "gulls"') as string };
    expect(await nginxAdapter.test(program, { config, current: folder })).toMatchObject(refused);
    expect(await nginxAdapter.reload(program, { config, current: folder })).toMatchObject(refused);
    expect(await answers(port, 'terns')).toBe('terns');
    await expect(nginxAdapter.start(program, { config, current: folder })).rejects.toMatchObject({
      code: 'proxy-refuses',
    });
  } finally {
    await running.stop();
  }
  await expect(answerOf(port)).rejects.toThrow('ECONNREFUSED');
  expect(existsSync(join(folder, 'nginx.pid'))).toBe(false);
});

test('after a renewal the proxy of the map shows the new certificate, when it is asked to', async () => {
  const { head, https: port } = await practiceHead('nginx');
  const folder = folderWith({ 'mile-marker.yaml': `${head}roads: {log: ":9"}\n` });
  const front = await startFront(folder, 'nginx');
  try {
    // The installed program, set up as that front is.
    const wrapper = `#!/bin/sh\nexec ${nginxProgram()} -c ${folder}/nginx.conf "$@"\n`;
    mkdirSync(join(folder, 'bin'));
    writeFileSync(join(folder, 'bin/nginx'), wrapper, { mode: 0o755 });
    const env = { PATH: `${join(folder, 'bin')}:${process.env['PATH'] ?? ''}` };
    const before = await shown(port);
    // A year later, when a practice certificate is due.
    const later = { now: () => new Date(Date.now() + 380 * 86_400_000) };
    const renewed = await mileMarker(['certs', 'renew', '--reload'], folder, env, later);
    expect([renewed.code, renewed.err]).toEqual([0, expect.stringContaining('shows it from the next connection on')]);
    let after = before;
    for (let tries = 0; tries < 300 && after === before; tries += 1) after = await shown(port);
    expect(after).not.toBe(before);
    // What it does not take is told, and the certificate is stored all the same.
    writeFileSync(join(folder, 'nginx.conf'), 'http { gulls; }');
    const yetLater = { now: () => new Date(Date.now() + 760 * 86_400_000) };
    const refused = await mileMarker(['certs', 'renew', '--reload'], folder, env, yetLater);
    expect([refused.code, refused.err]).toEqual([3, expect.stringContaining('did not load the new certificate')]);
  } finally {
    await front.stop();
  }
});

/** Fingerprint of the certificate that is shown for the road. */
function shown(port: number): Promise<string> {
  return new Promise((resolve, reject) => {
    const options = { host: '127.0.0.1', port, servername: 'log.saltmarsh.example', rejectUnauthorized: false };
    const socket = tls.connect(options, () => {
      resolve(socket.getPeerCertificate().fingerprint256);
      socket.destroy();
    });
    socket.once('error', reject);
  });
}
