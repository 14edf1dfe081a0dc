/** A point in a square of 100. */
export type MaskPoint = readonly [x: number, y: number];

/** A shape that launchers cut icons to, as a polygon in a square of 100. */
export interface Mask {
  readonly name: string;
  readonly points: readonly MaskPoint[];
}

const STEPS = 96;

/** |x|ⁿ + |y|ⁿ = 1: between a circle (2) and a square (∞). */
function superellipse(exponent: number): MaskPoint[] {
  return Array.from({ length: STEPS }, (_, step) => {
    const angle = (step / STEPS) * 2 * Math.PI;
    const part = (value: number) => 50 + 50 * Math.sign(value) * Math.abs(value) ** (2 / exponent);
    return [part(Math.cos(angle)), part(Math.sin(angle))] as const;
  });
}

/** A square whose corners are rounded, each by its own radius: bottom right, bottom left, top left, top right. */
function rounded(radii: readonly [number, number, number, number]): MaskPoint[] {
  const corner = STEPS / 4;
  return radii.flatMap((radius, index) => {
    const toRight = index === 0 || index === 3;
    const toBottom = index < 2;
    const [x, y] = [toRight ? 100 - radius : radius, toBottom ? 100 - radius : radius];
    return Array.from({ length: corner + 1 }, (_, step) => {
      const angle = ((index + step / corner) * Math.PI) / 2;
      return [x + radius * Math.cos(angle), y + radius * Math.sin(angle)] as const;
    });
  });
}

/** Masks that Android's launchers use (adaptive icons: the maker of the device chooses). Plain geometry. */
export const ANDROID_MASKS: readonly Mask[] = [
  { name: 'circle', points: rounded([50, 50, 50, 50]) },
  { name: 'rounded square', points: rounded([22, 22, 22, 22]) },
  { name: 'squircle', points: superellipse(4) },
  { name: 'drop', points: rounded([12, 50, 50, 50]) },
];

/** What Apple's home screen cuts icons to. */
export const APPLE_MASK: Mask = { name: 'rounded square', points: superellipse(5) };

/** The mask as a CSS basic shape (CSS Shapes, "polygon()"). */
export function cssPolygon({ points }: Mask): string {
  return `polygon(${points.map(([x, y]) => `${x.toFixed(1)}% ${y.toFixed(1)}%`).join(',')})`;
}

/** The mask as a picture of `side` px, white where the icon is seen. */
export function maskSvg({ points }: Mask, side: number): string {
  const path = points.map(([x, y]) => `${((x * side) / 100).toFixed(2)},${((y * side) / 100).toFixed(2)}`);
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${side}" height="${side}"><polygon fill="#fff" points="${path.join(' ')}"/></svg>`;
}
