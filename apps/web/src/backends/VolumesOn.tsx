import { Button, Link, Table, TableBody, TableCell, TableHead, TableRow, TextField, Typography } from '@mui/material';
import type { BackendVolumeRow } from '@moorage/contract/inventory';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { useBackendVolumes } from '../api/cluster-queries';
import { useInAddress, useKeepLine, useSelected } from '../frame/address';
import { MarkedWord } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { Size } from '../parts/Size';
import { Empty, Fetched } from '../parts/States';
import { Row } from '../parts/layout';

const pageSize = 100;

function CopiesOf({ volume }: { volume: BackendVolumeRow }) {
  const open = volume.copies.filter((c) => c.state !== 'Synchronized');
  if (volume.copies.length === 0) return <span>kept by the backend</span>;
  if (open.length === 0) return <MarkedWord kind="settled" word={`${volume.copies.length} in sync`} />;
  const moving = open.filter((c) => c.state === 'Synchronizing');
  const least = Math.min(...moving.map((c) => c.percent));
  return moving.length > 0 ? (
    <MarkedWord
      kind={volume.degraded ? 'degraded' : 'progress'}
      word={`${volume.degraded ? 'made whole' : 'moves'}: ${Math.floor(least)} %`}
    />
  ) : (
    <MarkedWord kind="degraded" word={`${open.length} of ${volume.copies.length} missing`} />
  );
}

/** Volumes on a backend, each with the claim that holds it. */
export function VolumesOn({ backend }: { backend: string }) {
  const [q, setQ] = useInAddress('volume');
  const [page, setPage] = useState(0);
  const query = useBackendVolumes(backend, q, page * pageSize);
  const keep = useKeepLine();
  const [, select] = useSelected();
  return (
    <>
      <TextField
        label="Find by claim, name or identifier"
        value={q}
        onChange={(e) => {
          setQ(e.target.value);
          setPage(0);
        }}
        sx={{ width: 300, my: 1 }}
      />
      <Fetched query={query}>
        {({ volumes, total }) =>
          total === 0 ? (
            <Empty title={q ? 'No volume matches' : 'No volume is here yet'}>
              {q ? 'Another word may help.' : 'Claims whose class is moored here bring them.'}
            </Empty>
          ) : (
            <>
              <Table size="small" aria-label="Volumes">
                <TableHead>
                  <TableRow>
                    <TableCell>Claim</TableCell>
                    <TableCell>Volume on the backend</TableCell>
                    <TableCell>Pool</TableCell>
                    <TableCell align="right">Provisioned</TableCell>
                    <TableCell align="right">Written</TableCell>
                    <TableCell>Copies</TableCell>
                  </TableRow>
                </TableHead>
                <TableBody>
                  {volumes.map((v) => (
                    <TableRow
                      key={v.id}
                      hover
                      onClick={() => v.claim && select(v.claim)}
                      sx={{ cursor: v.claim ? 'pointer' : 'default' }}
                    >
                      <TableCell>
                        {v.claim ? (
                          <Link component={RouterLink} to={keep(`/claims/${v.claim}`)}>
                            {v.claim}
                          </Link>
                        ) : (
                          <MarkedWord kind="adrift" word="adrift: no claim holds it" />
                        )}
                      </TableCell>
                      <TableCell>
                        <Copyable text={v.id} what="volume identifier" short />
                      </TableCell>
                      <TableCell>{v.pool}</TableCell>
                      <TableCell align="right">
                        <Size bytes={v.bytes} />
                      </TableCell>
                      <TableCell align="right">
                        <Size bytes={v.consumed} />
                      </TableCell>
                      <TableCell>
                        <CopiesOf volume={v} />
                      </TableCell>
                    </TableRow>
                  ))}
                </TableBody>
              </Table>
              {total > pageSize && (
                <Row align="center" sx={{ py: 1 }}>
                  <Typography variant="body2">
                    {page * pageSize + 1} to {Math.min(total, (page + 1) * pageSize)} of {total.toLocaleString('en-GB')}
                  </Typography>
                  <Button disabled={page === 0} onClick={() => setPage(page - 1)}>
                    Before
                  </Button>
                  <Button disabled={(page + 1) * pageSize >= total} onClick={() => setPage(page + 1)}>
                    After
                  </Button>
                </Row>
              )}
            </>
          )
        }
      </Fetched>
    </>
  );
}
