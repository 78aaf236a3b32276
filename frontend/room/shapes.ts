/** The glasshouse: each object's geometry, with places on it measured in metres. */
import * as THREE from "three";

/** Give a geometry its places in metres: along u and down v from the top left. */
function measured(geometry: THREE.BufferGeometry, wide: number, tall: number): THREE.BufferGeometry {
  const uv = geometry.getAttribute("uv");
  const places = new Float32Array(uv.count * 2);
  for (let i = 0; i < uv.count; i++) {
    places[2 * i] = uv.getX(i) * wide;
    places[2 * i + 1] = (1 - uv.getY(i)) * tall;
  }
  geometry.setAttribute("metresUv", new THREE.BufferAttribute(places, 2));
  return geometry;
}

function plane(wide: number, tall: number): THREE.BufferGeometry {
  return measured(new THREE.PlaneGeometry(wide, tall), wide, tall);
}

function placed(geometry: THREE.BufferGeometry, x: number, y: number, z: number, turn = 0, tip = 0): THREE.Mesh {
  const mesh = new THREE.Mesh(geometry);
  mesh.position.set(x, y, z);
  mesh.rotation.set(tip, turn, 0, "YXZ");
  return mesh;
}

/** A box whose faces are each measured in metres. */
function box(wide: number, tall: number, deep: number, x: number, y: number, z: number): THREE.Mesh[] {
  return [
    placed(plane(wide, tall), x, y, z + deep / 2),
    placed(plane(wide, tall), x, y, z - deep / 2, Math.PI),
    placed(plane(deep, tall), x + wide / 2, y, z, Math.PI / 2),
    placed(plane(deep, tall), x - wide / 2, y, z, -Math.PI / 2),
    placed(plane(wide, deep), x, y + tall / 2, z, 0, -Math.PI / 2),
  ];
}

function column(radius: number, tall: number, x: number, z: number): THREE.Mesh {
  const round = 2 * Math.PI * radius;
  return placed(measured(new THREE.CylinderGeometry(radius, radius, tall, 40, 1, true), round, tall), x, tall / 2, z);
}

function arch(radius: number, thick: number, z: number): THREE.Mesh {
  const long = Math.PI * radius;
  const torus = new THREE.TorusGeometry(radius, thick, 20, 72, Math.PI);
  return placed(measured(torus, long, 2 * Math.PI * thick), 0, 3.2, z);
}

/** A panel of sharp ribs: its art runs over every fold, and shows there where it was drawn flat. */
function ribbed(wide: number, tall: number, ribs: number, deep: number, x: number, y: number, z: number): THREE.Mesh[] {
  const step = wide / ribs;
  const slope = Math.hypot(step / 4, deep);
  const parts: THREE.Mesh[] = [];
  let along = 0;
  const strip = (length: number, at: number, out: number, turn: number) => {
    const geometry = measured(new THREE.PlaneGeometry(length, tall), length, tall);
    const places = geometry.getAttribute("metresUv");
    for (let i = 0; i < places.count; i++) places.setX(i, places.getX(i) + along);
    along += length;
    parts.push(placed(geometry, x - wide / 2 + at, y, z + out, turn));
  };
  for (let n = 0; n < ribs; n++) {
    const left = n * step;
    strip(step / 4, left + step / 8, 0, 0);
    strip(slope, left + step * 0.375, deep / 2, -Math.atan2(deep, step / 4));
    strip(step / 4, left + step * 0.625, deep, 0);
    strip(slope, left + step * 0.875, deep / 2, Math.atan2(deep, step / 4));
  }
  return parts;
}

export const ROOM = { wide: 7.2, tall: 4.4, deep: 9.6 };

/** All objects by the name that the game folder's room.json gives them. */
export function shapes(): Record<string, THREE.Mesh[]> {
  const { wide, tall, deep } = ROOM;
  const back = -deep / 2;
  return {
    floor: [placed(plane(wide, deep), 0, 0, 0, 0, -Math.PI / 2)],
    walls: [
      placed(plane(wide, tall + 2.6), 0, (tall + 2.6) / 2, back),
      placed(plane(deep, 1.2), wide / 2, 0.6, 0, -Math.PI / 2),
      placed(plane(deep, tall + 1), -wide / 2, (tall + 1) / 2, 0, Math.PI / 2),
    ],
    screen: [placed(plane(deep, tall - 1.2), wide / 2, 1.2 + (tall - 1.2) / 2, 0, -Math.PI / 2)],
    ribs: [-3.6, -1.2, 1.2, 3.6].flatMap((z) => [
      column(0.2, 3.2, -wide / 2 + 0.35, z),
      column(0.2, 3.2, wide / 2 - 0.35, z),
      arch(wide / 2 - 0.35, 0.14, z),
    ]),
    plinth: [...box(1.2, 1.2, 1.2, -1.7, 0.6, -2.6), ...box(0.6, 1.8, 0.6, 1.9, 0.9, -3.6)],
    door: [...box(1.6, 2.5, 0.12, 0.1, 1.25, back + 0.06)],
    casing: [...ribbed(1.5, 1.15, 4, 0.16, -2.35, 0.575, -0.2)],
    bed: [...box(2.6, 0.5, 1.5, 0.9, 0.25, -1.7)],
  };
}
