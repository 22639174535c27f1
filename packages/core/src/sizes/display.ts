const units = ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB', 'EiB'];

export interface DisplayedSize {
  /** At most three significant digits. */
  readonly value: string;
  readonly unit: string;
  /** The exact figure, for the hover text. */
  readonly exact: string;
}

/** At most three significant digits, no trailing zeros; four digits stay whole (1,023). */
export function threeDigits(value: number): string {
  const magnitude = Math.abs(value);
  const digits = magnitude >= 100 ? 0 : magnitude >= 10 ? 1 : 2;
  return Number(value.toFixed(digits)).toLocaleString('en-GB', { maximumFractionDigits: 2 });
}

/** A size (bytes) in binary units for a screen (docs/calculations.md, Sizes). Negative values show a shortfall. */
export function displaySize(size: number): DisplayedSize {
  let value = size;
  let step = 0;
  while (Math.abs(value) >= 1024 && step < units.length - 1) {
    value /= 1024;
    step += 1;
  }
  // 1023.7 GiB would round to "1,024 GiB": go one unit up instead
  if (Math.abs(Math.round(value)) >= 1024 && step < units.length - 1) {
    value /= 1024;
    step += 1;
  }
  return { value: threeDigits(value), unit: units[step]!, exact: `${size.toLocaleString('en-GB')} bytes` };
}

export const sizeText = (size: number): string => {
  const shown = displaySize(size);
  return `${shown.value} ${shown.unit}`;
};
