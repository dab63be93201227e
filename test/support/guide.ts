import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const blocks = /^```console\n(?:[^]*?\n)??```$/gm;

/**
 * What a guide in `docs/` shows, held against what really comes back: its `console` blocks in their order, each a command and all that it says.
 * `UPDATE_DOCS=1` writes them anew.
 */
export class Guide {
  private readonly blocks: string[] = [];
  private readonly file: string;

  /** @param instead what differs from run to run, and how the guide has it */
  constructor(
    guide: string,
    private readonly instead: ReadonlyArray<readonly [RegExp | string, string]>,
  ) {
    this.file = join(__dirname, '../../docs', guide);
  }

  add(command: string, said: string): void {
    let text = said;
    for (const [from, to] of this.instead)
      text = text.replaceAll(from instanceof RegExp ? new RegExp(from, 'g') : from, to);
    this.blocks.push(`\`\`\`console\n$ ${command}\n${text.trimEnd()}\n\`\`\``);
  }

  holds(): void {
    const text = readFileSync(this.file, 'utf8');
    const written = text.match(blocks) ?? [];
    if (process.env['UPDATE_DOCS'] === '1') {
      const rest = [...this.blocks];
      writeFileSync(
        this.file,
        text.replace(blocks, () => rest.shift() ?? ''),
      );
      return;
    }
    expect(written).toEqual(this.blocks);
  }
}
