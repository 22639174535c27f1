import { Box, Typography } from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { PlacementState } from '@moorage/contract/moorings';
import { sizeText } from '@moorage/core/sizes/display';
import { useState } from 'react';
import { grouped } from './Grid';
import { drawShores, type Kept } from './shores-layout';

const width = 1180;
const [left, right] = [250, 880];

/** Classes on one shore, pools on the other, and between them what is kept where: the wider a line, the more bytes. */
export function Shores({ state }: { state: PlacementState }) {
  const { chart } = useTheme();
  const [over, setOver] = useState<string>();
  const drawing = drawShores(
    state.classes.map((c) => c.name),
    grouped(state).map((p) => p.id),
    state,
  );
  const near = (kept: Kept) => over === undefined || kept.at.includes(over);
  const [classes, pools] = drawing.shores;
  const label = (name: string, bytes: number) => `${name}: ${sizeText(bytes)} provisioned`;
  return (
    <Box sx={{ overflow: 'auto' }}>
      <svg
        viewBox={`0 0 ${width} ${drawing.height}`}
        role="img"
        aria-label="Classes and pools, with what is kept where"
        style={{ width: '100%', minWidth: 900, display: 'block' }}
      >
        {drawing.lines.map(({ flow, from, to, width: thick }) => (
          <path
            key={`${flow.className}/${flow.pool}`}
            d={`M ${left} ${from} C ${left + 260} ${from}, ${right - 260} ${to}, ${right} ${to}`}
            fill="none"
            stroke={flow.value > 0 ? chart.depth[3] : chart.secondInk}
            strokeWidth={flow.value > 0 ? thick : 1}
            strokeDasharray={flow.enabled ? undefined : '2 5'}
            opacity={near(flow) ? (flow.value > 0 ? 0.75 : 0.8) : 0.15}
          >
            <title>
              {`${flow.className} on ${flow.pool}: ${sizeText(flow.value)} in ${flow.count} ${flow.count === 1 ? 'volume' : 'volumes'}${flow.enabled ? '' : ', no longer moored'}`}
            </title>
          </path>
        ))}
        {[
          { nodes: classes!, x: left - 12, anchor: 'end' as const },
          { nodes: pools!, x: right + 12, anchor: 'start' as const },
        ].map(({ nodes, x, anchor }) =>
          nodes.map((node) => (
            <g
              key={node.name}
              tabIndex={0}
              aria-label={label(node.name, node.value)}
              onMouseEnter={() => setOver(node.name)}
              onMouseLeave={() => setOver(undefined)}
              onFocus={() => setOver(node.name)}
              onBlur={() => setOver(undefined)}
            >
              <rect
                x={anchor === 'end' ? left - 6 : right}
                y={node.y}
                width={6}
                height={node.height}
                fill={chart.ink}
              />
              <text
                x={x}
                y={node.y + node.height / 2 - 2}
                textAnchor={anchor}
                fill={chart.ink}
                fontSize={14}
                fontWeight={600}
              >
                {node.name}
              </text>
              <text x={x} y={node.y + node.height / 2 + 14} textAnchor={anchor} fill={chart.secondInk} fontSize={12}>
                {node.value > 0
                  ? `${sizeText(node.value)} in ${node.count} ${node.count === 1 ? 'volume' : 'volumes'}`
                  : 'nothing kept'}
              </text>
            </g>
          )),
        )}
      </svg>
      <Typography variant="caption" color="text.secondary" sx={{ display: 'block', px: 2, pb: 1 }}>
        A thin line is a mooring on which nothing is kept yet; a dotted one holds volumes of a class that may no longer
        use the pool.
      </Typography>
    </Box>
  );
}
