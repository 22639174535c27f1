import { Button, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ClaimRow } from '@moorage/contract/claims';
import type { Candidate, Candidates as Answer } from '@moorage/contract/static-volumes';
import { staticRuleWords } from '@moorage/contract/static-words';
import { sizeText } from '@moorage/core/sizes/display';
import { useQuery } from '@tanstack/react-query';
import { ask } from '../api/client';
import { keys } from '../api/keys';
import { refresh } from '../api/queries';
import { Mark } from '../marks/Mark';
import { FaintCell, Sheet } from '../parts/layout';
import { useMay } from '../parts/person';
import { Size } from '../parts/Size';
import { useAct } from '../parts/useAct';

const mostShown = 12;

/** What a volume made beforehand would mean for the claim, or what refuses it. */
export function candidateSentence({ refused, reserved, surplus }: Candidate, isBest: boolean): string {
  if (refused.length > 0) return `Refused: ${refused.map((rule) => staticRuleWords[rule]).join('; ')}.`;
  const more =
    surplus > 0 ? `${sizeText(surplus)} more than it asks, for nobody else to use` : 'just as large as it asks';
  if (reserved) return `Reserved for this claim; ${more}.`;
  return isBest ? `The best that matches: ${more}. The platform binds it by itself.` : `Matches; ${more}.`;
}

/** The volume that the claim names, as far as it is one. */
export function namedSentence({ name, exists, nearest }: NonNullable<Answer['named']>): string {
  if (exists) return `It names the volume ${name}.`;
  return `It names the volume ${name}, and there is none of that name.${nearest ? ` Was ${nearest} meant?` : ''}`;
}

/** Volumes made beforehand that a claim could have, ranked; nothing when there are none. */
export function Candidates({ claim }: { claim: ClaimRow }) {
  const { namespace, name } = claim;
  const may = useMay('administrator', 'operator', 'namespace-owner');
  const { data } = useQuery({
    queryKey: keys.candidates(namespace, name),
    queryFn: () => ask('listCandidates', { params: { namespace, name } }),
  });
  const use = useAct(async (volume: string) => {
    await ask('nameVolume', { params: { namespace, name }, body: { volume } });
    await refresh('claims', 'candidates');
    return { text: `${namespace}/${name} names ${volume} now; the platform binds the two.` };
  });
  if (!data || (data.candidates.length === 0 && !data.named)) return null;
  const matching = data.candidates.filter((c) => c.refused.length === 0).length;
  return (
    <Sheet role="region" aria-label="Volumes made beforehand">
      <Typography variant="h2">Volumes made beforehand</Typography>
      <Typography variant="body2" sx={{ mb: 0.5 }}>
        {data.named && `${namedSentence(data.named)} `}
        {matching === 0 ? 'None matches this claim.' : `${matching} of ${data.candidates.length} match.`}
        {data.more && ' Only the nearest 200 were looked at.'}
      </Typography>
      <Table size="small">
        <TableHead>
          <TableRow>
            <TableCell>Volume</TableCell>
            <TableCell align="right">Size</TableCell>
            <TableCell>Class</TableCell>
            <TableCell>For this claim</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {data.candidates.slice(0, mostShown).map((c) => (
            <TableRow key={c.name}>
              <TableCell component="th" scope="row" title={c.handle ?? undefined}>
                <Mark kind={c.refused.length > 0 ? 'person' : 'settled'} /> {c.name}
              </TableCell>
              <TableCell align="right">
                <Size bytes={c.capacity} />
              </TableCell>
              <FaintCell>{c.className || 'none'}</FaintCell>
              <TableCell>{candidateSentence(c, c.name === data.best)}</TableCell>
              <TableCell align="right">
                {may && c.refused.length === 0 && (
                  <Button disabled={use.isPending} onClick={() => use.mutate(c.name)}>
                    Use it
                  </Button>
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {data.candidates.length > mostShown && (
        <Typography variant="body2" color="text.secondary">
          {data.candidates.length - mostShown} more, further from what it asks.
        </Typography>
      )}
    </Sheet>
  );
}
