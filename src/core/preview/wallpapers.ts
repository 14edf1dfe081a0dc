/** Backgrounds of home screens, as SVG: plain geometry of our own, the same each time. */

const svg = (body: string) =>
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 480 240" preserveAspectRatio="xMidYMid slice">${body}</svg>`;

/** A sequence of numbers from 0 to 1 that looks random and never changes. */
function sequence(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 48_271) % 2_147_483_647;
    return state / 2_147_483_647;
  };
}

const LIGHT = svg(
  '<defs><linearGradient id="a" x1="0" y1="0" x2="0" y2="1"><stop stop-color="#fdf6ec"/><stop offset="1" stop-color="#d9e8ec"/></linearGradient></defs><rect width="480" height="240" fill="url(#a)"/><path d="M0 170q120-50 240 0t240-10v80H0z" fill="#bfd9de"/><path d="M0 205q120-40 240 0t240-6v41H0z" fill="#a4c8cf"/>',
);

const DARK = svg(
  '<defs><linearGradient id="a" x1="0" y1="0" x2="0" y2="1"><stop stop-color="#12202c"/><stop offset="1" stop-color="#0a1116"/></linearGradient></defs><rect width="480" height="240" fill="url(#a)"/><path d="M0 170q120-50 240 0t240-10v80H0z" fill="#16303c"/><path d="M0 205q120-40 240 0t240-6v41H0z" fill="#1b3b47"/>',
);

function busy(): string {
  const next = sequence(7);
  const colors = ['#e4572e', '#f3a712', '#a8c686', '#29335c', '#669bbc', '#f7f3e3', '#3a5a40', '#b5838d'];
  const pieces = Array.from({ length: 130 }, (_, index) => {
    const [x, y, size] = [next() * 480, next() * 240, 12 + next() * 46];
    const color = colors[index % colors.length];
    const turn = Math.round(next() * 360);
    return next() < 0.5
      ? `<circle cx="${x.toFixed(0)}" cy="${y.toFixed(0)}" r="${(size / 2).toFixed(0)}" fill="${color}"/>`
      : `<path d="M0-${size.toFixed(0)}L${(size * 0.8).toFixed(0)} ${(size * 0.6).toFixed(0)}H-${(size * 0.8).toFixed(0)}z" transform="translate(${x.toFixed(0)} ${y.toFixed(0)}) rotate(${turn})" fill="${color}"/>`;
  });
  return svg(`<rect width="480" height="240" fill="#8d99ae"/>${pieces.join('')}`);
}

export type Wallpaper = 'light' | 'busy' | 'dark';

/** Wallpapers as data addresses. */
export function wallpapers(): Record<Wallpaper, string> {
  const data = (text: string) => `data:image/svg+xml,${encodeURIComponent(text)}`;
  return { light: data(LIGHT), busy: data(busy()), dark: data(DARK) };
}
