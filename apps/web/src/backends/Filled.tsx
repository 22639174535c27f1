import { styled } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import { depthStep } from '../theme/tokens';

const Frame = styled('span')({
  display: 'inline-block',
  width: 72,
  height: 10,
  border: '1px solid var(--second-ink)',
  verticalAlign: 'middle',
  marginRight: 6,
});

/** How much of something is held, lying: the same tints as a sounding. */
export function Filled({ part, whole }: { part: number; whole: number }) {
  const { chart } = useTheme();
  const share = whole > 0 ? Math.min(1, part / whole) : 0;
  return (
    <span style={{ whiteSpace: 'nowrap' }}>
      <Frame aria-hidden="true">
        <span
          style={{
            display: 'block',
            width: `${100 * share}%`,
            height: '100%',
            background: chart.depth[depthStep(Math.min(share, 0.99))],
          }}
        />
      </Frame>
      {Math.round(100 * share)} %
    </span>
  );
}
