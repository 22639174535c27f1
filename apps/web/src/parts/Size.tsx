import { Tooltip } from '@mui/material';
import { displaySize, threeDigits } from '@moorage/core/sizes/display';

/** A size with its unit in second ink, the exact figure on hover. */
export function Size({ bytes }: { bytes: number | null | undefined }) {
  if (bytes === null || bytes === undefined) return <span>–</span>;
  const { value, unit, exact } = displaySize(bytes);
  return (
    <Tooltip title={exact}>
      <span style={{ whiteSpace: 'nowrap' }}>
        {value} <Unit>{unit}</Unit>
      </span>
    </Tooltip>
  );
}

export function Unit({ children }: { children: React.ReactNode }) {
  return <span style={{ color: 'var(--second-ink)', fontSize: '0.9em' }}>{children}</span>;
}

/** A rate: 1,240 IOPS, 240k IOPS. */
export function Iops({ value }: { value: number }) {
  const short = value >= 10_000 ? `${threeDigits(value / 1000)}k` : Math.round(value).toLocaleString('en-GB');
  return (
    <Tooltip title={`${value.toLocaleString('en-GB')} operations per second`}>
      <span style={{ whiteSpace: 'nowrap' }}>
        {short} <Unit>IOPS</Unit>
      </span>
    </Tooltip>
  );
}
