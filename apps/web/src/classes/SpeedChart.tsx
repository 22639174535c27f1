import {
  Box,
  Button,
  MenuItem,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import { useTheme } from '@mui/material/styles';
import type { StorageClass } from '@moorage/core/classes/storage-class';
import { assumed } from '@moorage/core/performance/predict';
import type { Pool } from '@moorage/core/pools/pool-state';
import { useMemo, useState } from 'react';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { mostClients, predictions } from './speed';
import { Row } from '../parts/layout';

const shownClients = [1, 2, 4, 8, 16, 32, 64];
const n = (value: number, digits = 0) => value.toLocaleString('en-GB', { maximumFractionDigits: digits });

/** Predicted throughput and latency over the number of clients, beside the same class with one copy. */
export default function SpeedChart({ cls, pools }: { cls: StorageClass; pools: readonly Pool[] }) {
  const { chart } = useTheme();
  const all = useMemo(() => predictions(cls, pools), [cls, pools]);
  const [name, setName] = useState('');
  const [measure, setMeasure] = useState<'throughput' | 'responseMs'>('throughput');
  const [asTable, setAsTable] = useState(false);
  const chosen = all.find((p) => p.name === name) ?? all.find((p) => p.asIs !== p.oneCopy) ?? all[0];
  if (!chosen) return null;
  const differs = chosen.asIs !== chosen.oneCopy;
  const data = chosen.asIs.map((p, i) => ({ clients: p.clients, asIs: p[measure], one: chosen.oneCopy[i]![measure] }));
  const tick = { fill: chart.secondInk, fontSize: 11 };
  const unit = measure === 'throughput' ? 'requests/s' : 'ms';
  const digits = measure === 'throughput' ? 0 : 2;
  const label = cls.copies === 1 ? 'this class' : `${cls.copies} copies`;
  return (
    <Box component="section" aria-label="Predicted speed" sx={{ mt: 1 }}>
      <Row align="center" wraps sx={{ mb: 0.5 }}>
        <TextField
          select
          label="Predicted on"
          value={chosen.name}
          onChange={(e) => setName(e.target.value)}
          sx={{ width: 150 }}
        >
          {all.map((p) => (
            <MenuItem key={p.name} value={p.name}>
              {p.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Measure"
          value={measure}
          onChange={(e) => setMeasure(e.target.value as typeof measure)}
          sx={{ width: 130 }}
        >
          <MenuItem value="throughput">throughput</MenuItem>
          <MenuItem value="responseMs">latency</MenuItem>
        </TextField>
        <Button onClick={() => setAsTable(!asTable)}>{asTable ? 'As a chart' : 'As a table'}</Button>
      </Row>
      {asTable ? (
        <Table size="small" aria-label={`Predicted ${unit} by clients`}>
          <TableHead>
            <TableRow>
              <TableCell align="right">Clients</TableCell>
              <TableCell align="right">
                {label}, {unit}
              </TableCell>
              <TableCell align="right">one copy, {unit}</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {shownClients.map((clients) => (
              <TableRow key={clients}>
                <TableCell align="right">{clients}</TableCell>
                <TableCell align="right">{n(data[clients - 1]!.asIs, digits)}</TableCell>
                <TableCell align="right">{n(data[clients - 1]!.one, digits)}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      ) : (
        <>
          <Typography variant="caption" color="text.secondary">
            {unit}, over clients. <span style={{ color: chart.tide }}>Line: {label}</span>
            {differs && <span>; dashed: one copy</span>}.
          </Typography>
          <ResponsiveContainer width="100%" height={120}>
            <LineChart data={data} margin={{ top: 4, right: 8, bottom: 0, left: 0 }} accessibilityLayer>
              <CartesianGrid stroke={chart.rule} vertical={false} />
              <XAxis
                dataKey="clients"
                type="number"
                domain={[1, mostClients]}
                ticks={shownClients.slice(2)}
                tick={tick}
                stroke={chart.secondInk}
              />
              <YAxis
                tick={tick}
                stroke={chart.secondInk}
                width={54}
                tickCount={4}
                tickFormatter={(v: number) => n(v, digits)}
              />
              <Tooltip
                contentStyle={{
                  background: chart.sheet,
                  border: `1px solid ${chart.rule}`,
                  borderRadius: 0,
                  fontSize: 12,
                }}
                labelFormatter={(clients) => `${clients} clients`}
                formatter={(value, key) => [`${n(Number(value), digits)} ${unit}`, key === 'asIs' ? label : 'one copy']}
              />
              {measure === 'responseMs' && cls.latencyAimMs !== undefined && (
                <ReferenceLine
                  y={cls.latencyAimMs}
                  stroke={chart.ink}
                  strokeDasharray="6 3"
                  label={{ value: 'aim', fill: chart.ink, fontSize: 11 }}
                />
              )}
              {differs && (
                <Line
                  dataKey="one"
                  stroke={chart.secondInk}
                  strokeDasharray="5 4"
                  dot={false}
                  isAnimationActive={false}
                />
              )}
              <Line dataKey="asIs" stroke={chart.tide} strokeWidth={1.75} dot={false} isAnimationActive={false} />
            </LineChart>
          </ResponsiveContainer>
        </>
      )}
      <Typography variant="caption" color="text.secondary">
        Mean value analysis of clients that think {assumed.thinkMs} ms between requests; {assumed.roundTripMs} ms
        between nodes assumed; no other load on the pool.
      </Typography>
    </Box>
  );
}
