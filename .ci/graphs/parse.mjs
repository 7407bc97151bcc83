// Parses files of graph languages with the libraries that draw them: .dot and .mmd. Exits with 1 if one is refused.
import { readFileSync } from 'node:fs';
import { JSDOM } from 'jsdom';

// The second library works in pages only.
const page = new JSDOM('<!doctype html><body></body>');
globalThis.window = page.window;
globalThis.document = page.window.document;
const { default: mermaid } = await import('mermaid');
const { Graphviz } = await import('@hpcc-js/wasm-graphviz');
const graphviz = await Graphviz.load();

const parse = {
  dot: async (text) => graphviz.layout(text, 'canon', 'dot'),
  mmd: async (text) => mermaid.parse(text),
};

let refused = 0;
// Each library has to refuse something, or it would say nothing.
for (const [ending, text] of [['dot', 'digraph { a -> '], ['mmd', 'flowchart LR\n  a[']]) {
  const taken = await parse[ending](text).then(() => true, () => false);
  if (taken) { console.log(`${ending}: a broken file is taken`); refused += 1; }
}
for (const file of process.argv.slice(2)) {
  try {
    await parse[file.split('.').pop()](readFileSync(file, 'utf8'));
  } catch (error) {
    console.log(`${file}: ${error.message ?? error}`);
    refused += 1;
  }
}
console.log(`${process.argv.length - 2} files, ${refused} refused`);
process.exit(refused > 0 ? 1 : 0);
