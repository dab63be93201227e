import { whileSlow } from '../../src/cli/while-slow.ts';

test('what takes long is said and taken away again; what does not is not', async () => {
  const lines: string[] = [];
  let release: (value: string) => void = () => undefined;
  const io = {
    progress: (line: string): void => {
      lines.push(line);
      if (line !== '') release('answered');
    },
  };
  expect(await whileSlow('asking', io, new Promise<string>((resolve) => (release = resolve)))).toBe('answered');
  expect(lines.splice(0)).toEqual(['asking', '']);
  expect(await whileSlow('asking', io, Promise.resolve(1))).toBe(1);
  await expect(whileSlow('asking', io, Promise.reject(new Error('no')))).rejects.toThrow('no');
  expect(lines).toEqual([]);
});
