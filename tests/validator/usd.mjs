// Reads a USD text file with an independent reader and prints it as that understood it; fails where it cannot.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';

globalThis.window = globalThis; // the reader is built for browsers
process.type = 'renderer';
const wasm = readFileSync(createRequire(import.meta.url).resolve('tinyusdz/tinyusdz.wasm'));
const init = (await import('tinyusdz/tinyusdz.js')).default;
const module = await init({
  instantiateWasm(imports, done) {
    WebAssembly.instantiate(wasm, imports).then((made) => done(made.instance, made.module));
    return {};
  },
});
const reader = new module.TinyUSDZLoaderNative();
if (!reader.loadAsLayerFromBinary(new Uint8Array(readFileSync(process.argv[2])), 'camera.usda')) {
  console.error(reader.error());
  process.exit(1);
}
console.log(reader.layerToString());
