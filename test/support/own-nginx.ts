import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { delimiter, join } from 'node:path';
import { nginxProgram } from './fronts.ts';

/** The nginx of a machine, as far as a test needs one: with a configuration of its own that reads a folder of files. */
export interface OwnNginx {
  /** Environment in which it is the one that is installed. */
  env: Record<string, string>;
  /** The folder whose files it reads. */
  files: string;
  stop: () => Promise<void>;
}

/**
 * @param folder everything of it lies below @param reload what the program does when it is told to reload; default: that
 * @param more what stands in its `http { }` beside
 */
export function ownNginx(folder: string, reload = '', more = ''): OwnNginx {
  const root = join(folder, 'machine');
  const [bin, files] = [join(root, 'bin'), join(root, 'conf.d')];
  const modules = join(root, 'modules-enabled');
  for (const path of [bin, files, modules]) mkdirSync(path, { recursive: true });
  writeFileSync(join(modules, '50-mod-stream.conf'), 'load_module /usr/lib/nginx/modules/ngx_stream_module.so;\n');
  const config = join(root, 'nginx.conf');
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map(
    (one) => `${one}_temp_path ${root}/${one};`,
  );
  writeFileSync(
    config,
    `${process.getuid?.() === 0 ? 'user root;\n' : ''}worker_processes 1;\npid ${root}/nginx.pid;\nerror_log ${root}/error.log;
include ${modules}/*.conf;
events { worker_connections 256; }
http {
  access_log off;
  ${temporary.join(' ')}
  include ${files}/*.conf;
${more}
}
`,
  );
  const program = join(bin, 'nginx');
  const told = reload === '' ? '' : `case "$*" in *"-s reload"*) ${reload};; esac\n`;
  writeFileSync(program, `#!/bin/sh\n${told}exec ${nginxProgram()} -c ${config} "$@"\n`);
  chmodSync(program, 0o755);
  return {
    env: { PATH: `${bin}${delimiter}${process.env['PATH'] ?? ''}` },
    files,
    stop: async () => {
      const pid = existsSync(`${root}/nginx.pid`) ? Number(readFileSync(`${root}/nginx.pid`, 'utf8')) : 0;
      // One whose files are gone takes no orders through them.
      if (pid > 0) process.kill(pid, 'SIGTERM');
      for (let tries = 0; existsSync(`${root}/nginx.pid`) && tries < 200; tries += 1)
        await new Promise((resolve) => setTimeout(resolve, 25));
    },
  };
}
