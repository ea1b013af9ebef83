// SPDX-License-Identifier: GPL-3.0-or-later
// read_scenes.mjs FOLDER: reads the glTF, COLLADA, OBJ and PLY of an export with the loaders of three (by others), projects every point through the
// camera found there, and compares with camera.json. Exit 0 when all agree, 1 when not, 77 when the reader is not there.
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const modules = path.join(path.dirname(fileURLToPath(import.meta.url)), 'node_modules');
if (!fs.existsSync(path.join(modules, 'three')) || !fs.existsSync(path.join(modules, '@xmldom/xmldom'))) {
  console.log('three is not installed: skipped');
  process.exit(77);
}
const THREE = await import('three');
const { GLTFLoader } = await import('three/examples/jsm/loaders/GLTFLoader.js');
const { ColladaLoader } = await import('three/examples/jsm/loaders/ColladaLoader.js');
const { OBJLoader } = await import('three/examples/jsm/loaders/OBJLoader.js');
const { PLYLoader } = await import('three/examples/jsm/loaders/PLYLoader.js');
const { DOMParser } = await import('@xmldom/xmldom');
globalThis.DOMParser = DOMParser;

const folder = process.argv[2];
const file = (name) => path.join(folder, name);
const camera = JSON.parse(fs.readFileSync(file('camera.json'), 'utf8'));
const frames = camera.frames.filter((f) => f.solved);
const rate = camera.frame_rate.num / camera.frame_rate.den;
let failed = false;
const fail = (what) => {
  console.log('FAILED: ' + what);
  failed = true;
};
/** camera.json: unit quaternion w, x, y, z from camera to world; without distortion. */
const throughJson = (f, p) => {
  const q = new THREE.Quaternion(f.rotation[1], f.rotation[2], f.rotation[3], f.rotation[0]).invert();
  const c = new THREE.Vector3(...p).sub(new THREE.Vector3(...f.position)).applyQuaternion(q);
  if (c.z >= 0) return null;
  return [((f.focal_px / camera.image.pixel_aspect) * c.x) / -c.z + f.principal_point_px[0], (-f.focal_px * c.y) / -c.z + f.principal_point_px[1]];
};
/** The camera as three has it: frame is the size of its picture and where the plate lies in it. */
const compare = (name, root, clip, points, frame) => {
  let seen = null;
  root.traverse((o) => {
    if (o.isCamera) seen = o;
  });
  if (!seen) return fail(`${name}: no camera`);
  const mixer = new THREE.AnimationMixer(root);
  if (clip) mixer.clipAction(clip).setLoop(THREE.LoopOnce).play().clampWhenFinished = true;
  let worst = 0, count = 0;
  for (const f of frames) {
    if (clip) mixer.setTime((f.frame - frames[0].frame) / rate);
    seen.updateProjectionMatrix?.();
    root.updateMatrixWorld(true);
    seen.updateMatrixWorld(true);
    for (let i = 0; i < camera.points.length; i += 3) {
      const a = throughJson(f, camera.points[i].position);
      if (!a || a[0] < 0 || a[1] < 0 || a[0] > camera.image.width || a[1] > camera.image.height) continue;
      const v = new THREE.Vector3(...points[i]).project(seen);
      const b = [((v.x + 1) / 2) * frame[0] - 0.5 - frame[2], ((1 - v.y) / 2) * frame[1] - 0.5 - frame[3]];
      worst = Math.max(worst, Math.hypot(a[0] - b[0], a[1] - b[1]));
      ++count;
    }
  }
  if (!(count > 1000 && worst <= 0.01)) fail(`${name}: ${worst} px over ${count} places`);
  else console.log(`${name} agrees to ${worst.toFixed(6)} px over ${count} places in ${frames.length} frames`);
};
const listed = (geometry) => {
  const p = geometry.getAttribute('position');
  return Array.from({ length: p.count }, (_, i) => [p.getX(i), p.getY(i), p.getZ(i)]);
};
const samePoints = (name, points) => {
  if (points.length !== camera.points.length) return fail(`${name}: ${points.length} points instead of ${camera.points.length}`);
  const worst = Math.max(...points.map((p, i) => Math.hypot(...p.map((v, k) => v - camera.points[i].position[k])) / (1 + Math.hypot(...p))));
  if (!(worst < 1e-6)) fail(`${name}: a point is off by ${worst}`);
  else console.log(`${name}: ${points.length} points agree`);
};
const bytes = (name) => {
  const b = fs.readFileSync(file(name));
  return b.buffer.slice(b.byteOffset, b.byteOffset + b.byteLength);
};

const gltf = await new GLTFLoader().parseAsync(bytes('camera.glb'), '');
let cloud = null;
gltf.scene.traverse((o) => {
  if (o.isPoints && o.name === 'Cloud') cloud = o;
});
if (!cloud) fail('glTF: no cloud');
else {
  const points = listed(cloud.geometry);
  samePoints('glTF', points);
  compare('glTF', gltf.scene, gltf.animations[0], points, gltf.asset.extras.frame);
}
const text = fs.readFileSync(file('camera.dae'), 'utf8');
const dae = new ColladaLoader().parse(text, '');
const frame = text.match(/<frame>([^<]*)<\/frame>/)[1].split(' ').map(Number);
compare('COLLADA', dae.scene, dae.scene.animations?.[0] ?? dae.animations?.[0], camera.points.map((p) => p.position), frame);
const obj = new OBJLoader().parse(fs.readFileSync(file('scene.obj'), 'utf8'));
obj.traverse((o) => {
  if (o.isPoints && o.name === 'Cloud') samePoints('OBJ', listed(o.geometry));
});
samePoints('PLY', listed(new PLYLoader().parse(bytes('cloud.ply'))));
process.exit(failed ? 1 : 0);
