// Lengths in proportion to counts.
export function scaleLinear(most: number, length: number): (value: number) => number {
  return (value) => (value / most) * length;
}
