import { Button, Link, Paper, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ClassRow } from '@moorage/contract/classes';
import { Link as RouterLink } from 'react-router';
import { useClasses } from '../api/queries';
import { useGo, useKeepLine } from '../frame/address';
import { MarkedWord } from '../marks/Mark';
import { Place } from '../parts/Place';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { rateText } from './words';

function state(row: ClassRow): { kind: 'settled' | 'person' | 'waiting'; word: string } {
  if (row.problems.length > 0) return { kind: 'person', word: `${row.problems.length} settings cannot be read` };
  if (row.mooredPools === 0) return { kind: 'person', word: 'moored to no pool' };
  if (row.claims === 0) return { kind: 'waiting', word: 'nobody uses it' };
  return { kind: row.bound < row.claims ? 'waiting' : 'settled', word: `${row.bound} of ${row.claims} claims bound` };
}

function ClassLine({ row }: { row: ClassRow }) {
  const keep = useKeepLine();
  const { storageClass: cls } = row;
  const { kind, word } = state(row);
  return (
    <TableRow hover sx={{ height: 40 }}>
      <TableCell component="th" scope="row">
        <Link
          component={RouterLink}
          to={keep(`/classes/${cls.name}`)}
          underline="hover"
          sx={{ fontWeight: 600, color: 'text.primary' }}
        >
          {cls.name}
        </Link>
        {row.isDefault && (
          <Typography variant="caption" color="text.secondary">
            {' '}
            · default
          </Typography>
        )}
      </TableCell>
      <TableCell align="right">{cls.shards ? `${cls.shards.data}+${cls.shards.parity}` : cls.copies}</TableCell>
      <TableCell>{rateText(cls.iopsFloor)}</TableCell>
      <TableCell>{rateText(cls.iopsCeiling)}</TableCell>
      <TableCell>{cls.encrypted ? 'encrypted' : 'as the pool does'}</TableCell>
      <TableCell>
        {cls.reclaim}
        {cls.graceDays > 0 && `, ${cls.graceDays} d grace`}
      </TableCell>
      <TableCell>{cls.binding === 'Immediate' ? 'at once' : 'with its first pod'}</TableCell>
      <TableCell align="right">{row.mooredPools}</TableCell>
      <TableCell align="right">
        <Size bytes={row.provisioned} />
      </TableCell>
      <TableCell>
        <MarkedWord kind={kind} word={word} />
      </TableCell>
    </TableRow>
  );
}

const columns: readonly [string, 'left' | 'right'][] = [
  ['Class', 'left'],
  ['Copies', 'right'],
  ['IOPS floor', 'left'],
  ['IOPS ceiling', 'left'],
  ['Encryption', 'left'],
  ['At the end', 'left'],
  ['Binds', 'left'],
  ['Pools', 'right'],
  ['Provisioned', 'right'],
  ['State', 'left'],
];

export default function Classes() {
  const query = useClasses();
  const go = useGo();
  const may = useMay('administrator', 'operator');
  return (
    <Place
      title="Classes"
      question="What does each storage class promise to the claims that name it?"
      actions={
        <>
          <Button onClick={() => go('/classes/manifests')}>Manifests</Button>
          {may && (
            <Button variant="contained" onClick={() => go('/classes/new')}>
              New class
            </Button>
          )}
        </>
      }
    >
      <Fetched query={query}>
        {(classes) =>
          classes.length === 0 ? (
            <Empty title="There is no storage class yet">
              A class says how many copies, how fast, and what happens at the end. Make the first one.
            </Empty>
          ) : (
            <Paper>
              <Table size="small" aria-label="Storage classes">
                <TableHead>
                  <TableRow>
                    {columns.map(([name, align]) => (
                      <TableCell key={name} align={align}>
                        {name}
                      </TableCell>
                    ))}
                  </TableRow>
                </TableHead>
                <TableBody>
                  {classes.map((row) => (
                    <ClassLine key={row.uid} row={row} />
                  ))}
                </TableBody>
              </Table>
            </Paper>
          )
        }
      </Fetched>
    </Place>
  );
}
