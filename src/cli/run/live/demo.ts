import { exit } from '../../../adapters/trouble.ts';
import { runDemo } from '../../../demo/run-demo.ts';
import type { ProxyName } from '../../../core/proxies/names.ts';
import type { CommandContext } from '../../io.ts';

export async function runDemoCommand(
  options: { proxy: ProxyName; keep?: boolean },
  { io, setCode, run }: CommandContext,
): Promise<void> {
  const well = await runDemo({
    proxy: options.proxy,
    keep: options.keep ?? false,
    env: io.env,
    signal: io.signal,
    say: io.out,
    command: async (argv, { cwd, signal, quiet }) => {
      let out = '';
      const print = (text: string): void => {
        out += text;
        if (!quiet()) io.out(text);
      };
      // The demo's talk goes where its data goes, so that both stay in order when they are piped.
      const err = (text: string): void => (quiet() ? undefined : io.out(text));
      const env = { ...io.env, MILE_MARKER_MAP: undefined };
      const code = await run(argv, { ...io, out: print, err, progress: () => undefined, cwd, env, signal });
      return { code, out };
    },
  });
  if (!io.signal.aborted) setCode(well ? exit.well : exit.foundWrong);
}
