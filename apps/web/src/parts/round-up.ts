/** The next round figure: one, two, four or eight of a tenth, a unit, ten or a hundred of units that grow by a factor (1000 or 1024). */
export function roundUp(value: number, factor = 1000): number {
  let unit = 1;
  while (value >= unit * factor) unit *= factor;
  while (value < unit && unit > 1e-9) unit /= factor;
  const inUnits = value / unit;
  const power = 10 ** Math.floor(Math.log10(Math.max(inUnits, 1e-9)));
  const step = [1, 2, 4, 8, 10].find((m) => m * power >= inUnits * 0.999) ?? 10;
  // past the last round figure of a unit comes the next unit
  return Math.min(step * power, factor) * unit;
}
