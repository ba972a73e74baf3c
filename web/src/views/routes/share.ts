/** A share that is not all and not nothing is not written as if it were. */
export function share(of: number): string {
  const percent = of * 100;
  for (let digits = 0; digits < 6; digits++) {
    const text = percent.toFixed(digits);
    if (of === 1 || of === 0 || (Number(text) !== 100 && Number(text) !== 0)) return `${text} %`;
  }
  return of > 0.5 ? 'nearly all' : 'nearly none';
}
