import { chmodSync, existsSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import { join } from 'node:path';
import { nginxAdapter } from '../src/adapters/proxies/nginx/adapter.ts';
import { nginxProgram } from './support/fronts.ts';
import { freePorts } from './support/ports.ts';
import { folderWith } from './support/program.ts';

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
  expect(await nginxAdapter.test(program, config)).toMatchObject({ passed: true });
  const running = await nginxAdapter.start(program, config);
  try {
    expect(await answers(port, 'gulls')).toBe('gulls');
    writeFileSync(config, configuration(folder, port, 'terns'));
    expect(await nginxAdapter.reload(program, config)).toMatchObject({ passed: true });
    expect(await answers(port, 'terns')).toBe('terns');
    writeFileSync(config, 'http { gulls; }');
    const refused = { passed: false, output: expect.stringContaining('unknown directive "gulls"') as string };
    expect(await nginxAdapter.test(program, config)).toMatchObject(refused);
    expect(await nginxAdapter.reload(program, config)).toMatchObject(refused);
    expect(await answers(port, 'terns')).toBe('terns');
    await expect(nginxAdapter.start(program, config)).rejects.toMatchObject({ code: 'proxy-refuses' });
  } finally {
    await running.stop();
  }
  await expect(answerOf(port)).rejects.toThrow('ECONNREFUSED');
  expect(existsSync(join(folder, 'nginx.pid'))).toBe(false);
});
