import { chmodSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** An nginx as a machine has it, with a folder of files that it reads, all below one folder. @returns where its program is */
export function makeNginx(folder: string, nginx: string): { bin: string } {
  const root = join(folder, 'machine');
  const [bin, files] = [join(root, 'bin'), join(root, 'conf.d')];
  for (const path of [bin, files]) mkdirSync(path, { recursive: true });
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map(
    (one) => `${one}_temp_path ${root}/${one};`,
  );
  writeFileSync(
    join(root, 'nginx.conf'),
    `${process.getuid?.() === 0 ? 'user root;\n' : ''}worker_processes 1;\npid ${root}/nginx.pid;\nerror_log ${root}/error.log;
events { worker_connections 768; }
http { access_log off; ${temporary.join(' ')} include ${files}/*.conf; }
`,
  );
  writeFileSync(join(bin, 'nginx'), `#!/bin/sh\nexec ${nginx} -c ${root}/nginx.conf "$@"\n`);
  chmodSync(join(bin, 'nginx'), 0o755);
  return { bin };
}
