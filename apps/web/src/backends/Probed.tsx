import { Box, Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { Probe } from '@moorage/contract/registration';
import { MarkedWord } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { Iops, Size } from '../parts/Size';
import { When } from '../parts/When';
import { probeWords } from './probe-words';
import { protocolText } from './readiness-words';

const yes = (b: boolean): string => (b ? 'yes' : '–');

/** What is at an address: why it cannot be used and what to do, or what its pools offer. */
export function Probed({ probe, pin }: { probe: Probe; pin?: (fingerprint: string) => void }) {
  const { what, help } = probeWords[probe.outcome];
  const ready = probe.outcome === 'ready';
  return (
    <Box role="status" data-outcome={probe.outcome}>
      <Typography variant="h2" component="div">
        <MarkedWord kind={ready ? 'settled' : 'person'} word={what} />
      </Typography>
      <Typography variant="body2" sx={{ my: 0.5, maxWidth: 720 }}>
        {help}
      </Typography>
      {probe.product && (
        <Typography variant="body2" color="text.secondary">
          It calls itself {probe.product}, speaks version {probe.version}
          {ready && (
            <>
              , and tells of {probe.pools.length} {probe.pools.length === 1 ? 'pool' : 'pools'}, {probe.nodes}{' '}
              {probe.nodes === 1 ? 'node' : 'nodes'} and {probe.disks} disks
            </>
          )}
          .
        </Typography>
      )}
      {!ready && probe.detail && (
        <Typography variant="body2" color="text.secondary">
          Detail: {probe.detail}
        </Typography>
      )}
      {probe.certificate && (
        <Box sx={{ my: 1 }}>
          <Typography variant="body2">
            Its certificate is for {probe.certificate.subject || 'nobody'}, by {probe.certificate.issuer || 'nobody'},
            until <When at={probe.certificate.validTo} />.
          </Typography>
          <Copyable text={probe.certificate.fingerprint} what="fingerprint" />
          {probe.outcome === 'not-trusted' && pin && (
            <Box sx={{ mt: 0.5 }}>
              <Button onClick={() => pin(probe.certificate!.fingerprint)}>I compared it: pin this fingerprint</Button>
            </Box>
          )}
        </Box>
      )}
      {probe.pools.length > 0 && (
        <Table
          size="small"
          aria-label="What its pools offer"
          sx={{ mt: 1, '& td, & th': { whiteSpace: 'nowrap', px: 0.75 } }}
        >
          <TableHead>
            <TableRow>
              {['Pool', 'Reached by', 'Writers', 'Copies', 'Snapshots', 'Clones', 'Grows', 'Encrypts', 'Off site'].map(
                (t) => (
                  <TableCell key={t}>{t}</TableCell>
                ),
              )}
              <TableCell align="right">IOPS</TableCell>
              <TableCell align="right">Volumes</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {probe.pools.map((p) => (
              <TableRow key={p.name}>
                <TableCell>{p.name}</TableCell>
                <TableCell>{p.protocols.map(protocolText).join(', ')}</TableCell>
                <TableCell>
                  {p.accessModes.includes('ReadWriteMany')
                    ? p.volumeModes.length > 1
                      ? 'many, raw'
                      : 'many'
                    : 'one node'}
                </TableCell>
                <TableCell>up to {p.copies}</TableCell>
                <TableCell>{yes(p.snapshots)}</TableCell>
                <TableCell>{yes(p.clones)}</TableCell>
                <TableCell>{yes(p.expansion)}</TableCell>
                <TableCell>{yes(p.encryption)}</TableCell>
                <TableCell>{yes(p.offsite)}</TableCell>
                <TableCell align="right">{p.iops > 0 ? <Iops value={p.iops} /> : 'not said'}</TableCell>
                <TableCell align="right">
                  <Size bytes={p.minimum} /> to <Size bytes={p.maximum} />
                  {p.granule > 1 && (
                    <>
                      , by <Size bytes={p.granule} />
                    </>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Box>
  );
}
