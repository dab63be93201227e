import { transformSync } from 'esbuild';

/** Sources are ESM TypeScript; Jest runs them as CommonJS, which needs no Node flag. The bundler of the program translates them. */
export default {
  process(source, file) {
    const [loader] = /tsx?$/.exec(file) ?? ['js'];
    return transformSync(source, { loader, format: 'cjs', target: 'node20', sourcemap: 'inline', sourcefile: file });
  },
};
