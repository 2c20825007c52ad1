"""A picture of a GLB by three.js (npm: three), a renderer that is not ours, in a browser that is not ours."""

import base64
import threading
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import numpy as np

from tests.helpers.browser import Browser

_PAGE = """<!doctype html><script type="importmap">{"imports": {"three": "/node_modules/three/build/three.module.js"}}</script>
<script type="module">
import * as THREE from 'three';
import { GLTFLoader } from '/node_modules/three/examples/jsm/loaders/GLTFLoader.js';
// Unlit: the base color of each material alone, or one picture on everything; no tone curve, no smoothing.
window.draw = async (model, picture, variant, clip, width, height, ground) => {
  const renderer = new THREE.WebGLRenderer({ preserveDrawingBuffer: true, antialias: false });
  renderer.setSize(width, height, false);
  renderer.toneMapping = THREE.NoToneMapping;
  const bytes = text => Uint8Array.from(atob(text), c => c.charCodeAt(0)).buffer;
  const loaded = await new Promise((done, failed) => new GLTFLoader().parse(bytes(model), '', done, failed));
  const scene = new THREE.Scene();
  scene.background = new THREE.Color().setRGB(ground, ground, ground, THREE.SRGBColorSpace);
  scene.add(loaded.scene);
  let map = null;
  if (picture) {
    map = new THREE.Texture(await createImageBitmap(new Blob([bytes(picture)]), { colorSpaceConversion: 'none', premultiplyAlpha: 'none' }));
    Object.assign(map, { flipY: false, colorSpace: THREE.SRGBColorSpace, wrapS: THREE.RepeatWrapping, wrapT: THREE.RepeatWrapping, needsUpdate: true });
  }
  const meshes = [];
  loaded.scene.traverse(o => { if (o.isMesh) meshes.push(o); });
  for (const mesh of meshes) {
    let material = mesh.material;
    const said = mesh.userData.gltfExtensions?.KHR_materials_variants ?? mesh.geometry.userData.gltfExtensions?.KHR_materials_variants;
    if (said && variant >= 0) {
      const chosen = said.mappings.find(m => m.variants.includes(variant));
      if (chosen) material = await loaded.parser.getDependency('material', chosen.material);
    }
    mesh.material = new THREE.MeshBasicMaterial(map ? { map } : { map: material.map, color: material.color });
    mesh.material.side = THREE.DoubleSide;
  }
  const camera = new THREE.Camera();
  camera.matrixAutoUpdate = false;
  camera.projectionMatrix.fromArray(clip);
  camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert();
  for (const mesh of meshes) mesh.frustumCulled = false;
  renderer.render(scene, camera);
  const gl = renderer.getContext(), pixels = new Uint8Array(width * height * 4);
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
  let text = '';
  for (let i = 0; i < pixels.length; i += 32768) text += String.fromCharCode(...pixels.subarray(i, i + 32768));
  return btoa(text);
};
window.is_ready = true;
</script>"""


class _Quiet(SimpleHTTPRequestHandler):
    def do_GET(self) -> None:
        if self.path != "/":
            return super().do_GET()
        content = _PAGE.encode()
        self.send_response(200)
        self.send_header("Content-Type", "text/html")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)
        return None

    def log_message(self, format: str, *args: object) -> None:
        pass


class Three:
    """A page that draws with three.js until it is closed."""

    def __init__(self, strangers: Path) -> None:
        self._server = ThreadingHTTPServer(("127.0.0.1", 0), partial(_Quiet, directory=str(strangers)))
        threading.Thread(target=self._server.serve_forever, daemon=True).start()
        self._browser = Browser()
        self._browser.driver.get(f"http://127.0.0.1:{self._server.server_address[1]}/")
        self._browser.ask("while (!window.is_ready) await new Promise(done => setTimeout(done, 20))")

    def draw(
        self, model: Path, clip: np.ndarray, size: tuple[int, int], *, picture: Path | None = None, variant: int = -1, ground: float = 0.0,
    ) -> np.ndarray:  # fmt: skip
        """uint8 (height, width, 3), first row at the bottom. clip: (4, 4), world to clip space. picture: lies on
        everything in place of the materials' own. variant: number of a KHR_materials_variants one."""
        files = [base64.b64encode(f.read_bytes()).decode() if f else "" for f in (model, picture)]
        columns = np.asarray(clip, float).T.reshape(-1).tolist()
        text = self._browser.ask(
            "return await window.draw(...given.slice(0, -1))", *files, variant, columns, *size, ground
        )
        pixels = np.frombuffer(base64.b64decode(text, validate=True), np.uint8)
        return pixels.reshape(size[1], size[0], 4)[..., :3]

    def close(self) -> None:
        self._browser.close()
        self._server.shutdown()
