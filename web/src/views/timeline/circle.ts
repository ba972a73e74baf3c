/** Points on a circle around (middle, middle), from the top on. */
export const ringPoints = (n: number, middle: number, radius: number) =>
  Array.from({ length: n }, (_, i) => ({
    x: middle + radius * Math.sin((2 * Math.PI * i) / n),
    y: middle - radius * Math.cos((2 * Math.PI * i) / n),
  }));
