// SPDX-License-Identifier: GPL-3.0-or-later
// read_usda.mjs CAMERA.USDA CAMERA.JSON: reads an exported scene with tinyusdz (an OpenUSD reader by others), projects every point through the
// camera found there by OpenUSD's own rules, and compares with the camera file. Exit 0 when all agree, 1 when not, 77 when the reader is not there.
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const here = path.join(path.dirname(fileURLToPath(import.meta.url)), 'node_modules/tinyusdz');
if (!fs.existsSync(here)) {
  console.log('tinyusdz is not installed: skipped');
  process.exit(77);
}
// The module is built for pages; under node it gets its bytes by hand.
process.type = 'renderer';
globalThis.window = globalThis;
const start = (await import(path.join(here, 'tinyusdz.js'))).default;
const usd = await start({
  instantiateWasm: (imports, done) => {
    WebAssembly.instantiate(fs.readFileSync(path.join(here, 'tinyusdz.wasm')), imports).then((r) => done(r.instance, r.module));
    return {};
  },
});
const [usdaFile, jsonFile] = process.argv.slice(2);
const bytes = new Uint8Array(fs.readFileSync(usdaFile));
const loader = new usd.TinyUSDZLoaderNative();
const fail = (what) => {
  console.log('FAILED: ' + what);
  process.exit(1);
};
if (!loader.loadFromBinary(bytes, 'camera.usda')) fail('the stage does not load: ' + loader.error());
if (!loader.loadAsLayerFromBinary(bytes, 'camera.usda')) fail('the layer does not load: ' + loader.error());
const text = loader.layerToString();  // what the reader understood, written out by it

const number = (name) => {
  const m = text.match(new RegExp('\\b' + name + ' = ([-+.eE0-9]+)'));
  if (!m) fail(name + ' was not understood');
  return Number(m[1]);
};
const samples = (name) => {
  const at = text.indexOf(name + '.timeSamples = {');
  if (at < 0) fail(name + ' was not understood');
  const body = text.slice(at + name.length + 17, text.indexOf('}', at));
  const out = new Map();
  for (const m of body.matchAll(/(\d+): ([^:]*?)(?=,\s*\d+:|,?\s*$)/g)) out.set(Number(m[1]), m[2].match(/[-+]?[0-9.]+(?:e[-+]?\d+)?/gi).map(Number));
  return out;
};
const camera = JSON.parse(fs.readFileSync(jsonFile, 'utf8'));
const frames = camera.frames.filter((f) => f.solved);
const same = (name, a, b, tolerance = 1e-9) => Math.abs(a - b) <= tolerance || fail(`${name}: ${a} instead of ${b}`);
same('startTimeCode', number('startTimeCode'), camera.frames[0].frame);
same('endTimeCode', number('endTimeCode'), camera.frames.at(-1).frame);
// The reader prints six figures; the exact rate stands in the layer data.
same('timeCodesPerSecond', number('timeCodesPerSecond'), camera.frame_rate.num / camera.frame_rate.den, 5e-4);
same('framesPerSecond', number('framesPerSecond'), camera.frame_rate.num / camera.frame_rate.den, 5e-4);
same('frameRateNum', number('frameRateNum'), camera.frame_rate.num);
same('frameRateDen', number('frameRateDen'), camera.frame_rate.den);
if (!/upAxis = "Y"/.test(text)) fail('upAxis');
const resolution = text.match(/resolution = \((\d+), (\d+)\)/);
if (!resolution) fail('resolution was not understood');
same('width', Number(resolution[1]), camera.image.width);
same('height', Number(resolution[2]), camera.image.height);

const focal = samples('focalLength');
const moves = samples('xformOp:transform');
same('focal lengths', focal.size, frames.length);
same('matrices', moves.size, frames.length);
const [ha, va] = [number('horizontalAperture'), number('verticalAperture')];
const [ho, vo] = [number('horizontalApertureOffset'), number('verticalApertureOffset')];
const list = text.match(/point3f\[\] points = \[(.*?)\]/s)[1].match(/[-+]?[0-9.]+(?:e[-+]?\d+)?/gi).map(Number);
same('points', list.length / 3, camera.points.length);

/** OpenUSD: points are rows, p_world = p_camera · M; the camera looks down −Z; apertures and focal length share a unit. */
const throughUsd = (m, f, p) => {
  const d = [p[0] - m[12], p[1] - m[13], p[2] - m[14]];
  const c = [0, 1, 2].map((k) => d[0] * m[4 * k] + d[1] * m[4 * k + 1] + d[2] * m[4 * k + 2]);
  if (c[2] >= 0) return null;
  const x = (f * c[0]) / -c[2] - ho, y = (f * c[1]) / -c[2] - vo;
  return [(x / ha + 0.5) * camera.image.width - 0.5, (0.5 - y / va) * camera.image.height - 0.5];
};
/** camera.json: unit quaternion w, x, y, z from camera to world. */
const throughJson = (f, p) => {
  const [w, x, y, z] = f.rotation.map((v, i) => (i ? -v : v));
  const d = p.map((v, i) => v - f.position[i]);
  const t = [2 * (y * d[2] - z * d[1]), 2 * (z * d[0] - x * d[2]), 2 * (x * d[1] - y * d[0])];
  const c = [d[0] + w * t[0] + y * t[2] - z * t[1], d[1] + w * t[1] + z * t[0] - x * t[2], d[2] + w * t[2] + x * t[1] - y * t[0]];
  if (c[2] >= 0) return null;
  return [(f.focal_px / camera.image.pixel_aspect) * (c[0] / -c[2]) + f.principal_point_px[0], -f.focal_px * (c[1] / -c[2]) + f.principal_point_px[1]];
};
let worst = 0, count = 0;
for (const f of frames) {
  camera.points.forEach((p, i) => {
    const a = throughJson(f, p.position);
    if (!a || a[0] < 0 || a[1] < 0 || a[0] > camera.image.width || a[1] > camera.image.height) return;
    const b = throughUsd(moves.get(f.frame), focal.get(f.frame)[0], list.slice(3 * i, 3 * i + 3));
    worst = Math.max(worst, b ? Math.hypot(a[0] - b[0], a[1] - b[1]) : 1e9);
    ++count;
  });
}
if (!(count > 1000 && worst < 0.01)) fail(`${worst} px over ${count} sightings`);
console.log(`agrees to ${worst.toFixed(6)} px over ${count} sightings in ${frames.length} frames`);
