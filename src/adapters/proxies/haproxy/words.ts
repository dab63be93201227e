/** The first fault that haproxy found, without time and process number. */
export function reasonIn(err: string): string {
  const alert = /^\[ALERT\]\s+\(\d+\) : (?:config : )?(.+)$/m.exec(err)?.[1];
  return alert?.replace(/\.$/, '') ?? (err.trim().split('\n')[0] || 'it gives no reason');
}

/** Ends of its test of a configuration (management guide, `-c`): sound, but nothing listens. */
const noListener = 2;

/** Words that have it test files. Quiet, it would give no reason. */
export function testWords(files: readonly string[]): string[] {
  return ['-c', ...files.flatMap((file) => ['-f', file])];
}

/** Whether it takes what it was asked to test: what is sound may serve nothing yet. */
export function isSound({ code, err }: { code: number | null; err: string }): boolean {
  return code === 0 || (code === noListener && !/^\[ALERT\]/m.test(err));
}
