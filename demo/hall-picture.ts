import { PNG } from 'pngjs';
import { Chance } from './names';

type Colour = readonly [number, number, number];

const width = 720;
const height = 480;
/** The back wall, in parts of the picture; what lies around it is walls, floor and ceiling. */
const back = { left: 0.28, right: 0.72, top: 0.24, bottom: 0.62 };

const walls: readonly Colour[] = [
  [214, 204, 184],
  [196, 206, 200],
  [206, 192, 176],
  [188, 198, 212],
];
const floors: readonly Colour[] = [
  [150, 108, 70],
  [126, 96, 74],
  [164, 128, 88],
];
const curtains: readonly Colour[] = [
  [122, 38, 44],
  [44, 70, 92],
  [66, 84, 58],
];

/** A picture of a hall seen from its door, the same for the same seed, as PNG; small where it is so wide only. */
export function hallPicture(seed: string, wide = width): Buffer {
  const hall = new Hall(new Chance(`picture ${seed}`));
  const png = new PNG({ width: wide, height: Math.round((wide * height) / width) });
  for (let y = 0; y < png.height; y++) {
    for (let x = 0; x < png.width; x++) {
      const colour = hall.at((x + 0.5) / png.width, (y + 0.5) / png.height);
      const at = (y * png.width + x) * 4;
      colour.forEach((part, i) => (png.data[at + i] = Math.max(0, Math.min(255, part))));
      png.data[at + 3] = 255;
    }
  }
  return PNG.sync.write(png);
}

/** One hall, by the colour of each point of its picture. */
class Hall {
  readonly #wall: Colour;
  readonly #floor: Colour;
  readonly #curtain: Colour;
  readonly #windows: number;
  readonly #rows: number;
  readonly #light: number;

  constructor(chance: Chance) {
    this.#wall = chance.pick(walls);
    this.#floor = chance.pick(floors);
    this.#curtain = chance.pick(curtains);
    this.#windows = chance.whole(2, 4);
    this.#rows = chance.whole(3, 6);
    this.#light = chance.whole(80, 105) / 100;
  }

  /** The colour at a place, both parts from 0 to 1. */
  at(x: number, y: number): Colour {
    const { left, right, top, bottom } = back;
    if (x > left && x < right && y > top && y < bottom) return this.#stage(x, y);
    // How deep the place lies: 1 at the back wall, 0 at the door.
    const deep = Math.min(
      ...[x / left, (1 - x) / (1 - right), y / top, (1 - y) / (1 - bottom)].map((part) =>
        Math.min(1, part),
      ),
    );
    const light = this.#light * (0.62 + 0.38 * deep);
    const side = Math.min(x / left, (1 - x) / (1 - right));
    const flat = Math.min(y / top, (1 - y) / (1 - bottom));
    if (side <= flat) return shade(this.#sideWall(deep, y), light);
    if (y < top) return shade([236, 232, 222], light);
    return shade(this.#ground(x, y, deep), light);
  }

  #stage(x: number, y: number): Colour {
    const across = (x - back.left) / (back.right - back.left);
    const down = (y - back.top) / (back.bottom - back.top);
    if (down > 0.8) return shade(this.#floor, down > 0.84 ? 0.7 : 1.1);
    const fold = 0.86 + 0.14 * Math.sin(across * 90);
    if (across < 0.16 || across > 0.84 || down < 0.14) return shade(this.#curtain, fold);
    return shade(this.#wall, 0.72 + 0.1 * (1 - down));
  }

  /** A side wall with its windows; `deep` runs along it. */
  #sideWall(deep: number, y: number): Colour {
    // What is twice as far away is half as large.
    const size = 1 - 0.56 * deep;
    const along = (1 / size - 1) / (1 / 0.44 - 1);
    const place = (along * this.#windows) % 1;
    const height = 0.44 * size;
    const pane = place > 0.3 && place < 0.7 && y > 0.36 - height / 2 && y < 0.4 + height / 2;
    if (!pane) return this.#wall;
    return Math.abs(place - 0.5) < 0.015 ? [240, 238, 230] : [212, 230, 244];
  }

  /** The floor with its boards, and rows of chairs on it. */
  #ground(x: number, y: number, deep: number): Colour {
    const near = 1 - deep;
    const across = (x - 0.5) / (0.22 + near * 0.28);
    const row = Math.sqrt(near) * (this.#rows + 1);
    const chair = Math.abs(across) < 0.7 && Math.abs(across) > 0.12 && row > 0.8;
    const seat = Math.floor((across + 2) * 9);
    if (chair && row % 1 < 0.42 && ((across + 2) * 9) % 1 < 0.78) {
      return shade(this.#curtain, row % 1 < 0.14 ? 1.25 : 0.85 + (seat % 2) * 0.05);
    }
    const board = ((across + 2) * 14) % 1 < 0.06 ? 0.82 : 1;
    return shade(this.#floor, board * (0.94 + 0.06 * Math.sin(y * 400)));
  }
}

function shade(colour: Colour, light: number): Colour {
  const [red, green, blue] = colour.map((part) => Math.round(part * light)) as [
    number,
    number,
    number,
  ];
  return [red, green, blue];
}
