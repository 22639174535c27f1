import { Tooltip } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import { sizeText } from '@moorage/core/sizes/display';
import { depthStep } from '../theme/tokens';

export interface SoundingProps {
  /** All bytes of the pool's own usable space. */
  readonly usable: number;
  readonly consumed: number;
  /** Promised; may go beyond usable when the pool is overcommitted. */
  readonly subscribed: number;
  readonly softMark: number;
  readonly hardMark: number;
  readonly overcommit: number;
  readonly height?: number;
  readonly width?: number;
}

/**
 * How full something is: the tint is what was written, the line what was promised, the ticks the soft and hard marks, the top
 * the overcommit ceiling. The same drawing everywhere.
 */
export function Sounding({
  usable,
  consumed,
  subscribed,
  softMark,
  hardMark,
  overcommit,
  height = 48,
  width = 40,
}: SoundingProps) {
  const { chart } = useTheme();
  const top = Math.max(usable * overcommit, subscribed, consumed, 1);
  const y = (bytes: number) => height - (height * bytes) / top;
  const share = usable > 0 ? consumed / usable : 1;
  const tint = share >= hardMark ? chart.buoy : chart.depth[depthStep(Math.min(share, 0.99))];
  const words = [
    `written ${sizeText(consumed)} of ${sizeText(usable)} usable (${Math.round(share * 100)} %)`,
    `promised ${sizeText(subscribed)}, ceiling ${sizeText(usable * overcommit)}`,
    `marks at ${Math.round(softMark * 100)} % and ${Math.round(hardMark * 100)} %`,
  ];
  return (
    <Tooltip
      title={
        <>
          {words.map((w) => (
            <div key={w}>{w}</div>
          ))}
        </>
      }
    >
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={words.join('; ')}
        style={{ display: 'block', overflow: 'visible' }}
      >
        <rect x="0.5" y="0.5" width={width - 1} height={height - 1} fill={chart.paper} stroke={chart.secondInk} />
        <rect x="1" y={y(consumed)} width={width - 2} height={Math.max(0, height - y(consumed) - 1)} fill={tint} />
        {overcommit > 1 && (
          <line x1="0" x2={width} y1={y(usable)} y2={y(usable)} stroke={chart.secondInk} strokeDasharray="2 2" />
        )}
        <line
          x1={width - 7}
          x2={width}
          y1={y(usable * softMark)}
          y2={y(usable * softMark)}
          stroke={chart.lamp}
          strokeWidth="1.5"
        />
        <line
          x1={width - 10}
          x2={width}
          y1={y(usable * hardMark)}
          y2={y(usable * hardMark)}
          stroke={chart.buoy}
          strokeWidth="1.5"
        />
        <line x1="-3" x2={width + 3} y1={y(subscribed)} y2={y(subscribed)} stroke={chart.ink} strokeWidth="2" />
      </svg>
    </Tooltip>
  );
}
