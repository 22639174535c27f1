import { Box, Link, Typography } from '@mui/material';
import type { NamespaceUsage } from '@moorage/contract/namespaces';
import { Link as RouterLink } from 'react-router';
import { useKeepLine } from '../frame/address';
import { Size } from '../parts/Size';
import { Limit } from './Limit';
import { Column, Sheet } from '../parts/layout';

type ClassUse = NamespaceUsage['classes'][number];

/** What a namespace uses, of one class or of all, and its limits. */
export function UseOf({ row, className, may }: { row: NamespaceUsage; className: string | undefined; may: boolean }) {
  const keep = useKeepLine();
  const use: ClassUse | NamespaceUsage | undefined = className
    ? row.classes.find((c) => c.className === className)
    : row;
  const what = className ? `${row.namespace} in ${className}` : row.namespace;
  return (
    <Sheet sx={{ display: 'flex', gap: 4, flexWrap: 'wrap', alignItems: 'flex-start' }}>
      <Box sx={{ flex: 1, minWidth: 380 }}>
        <Typography variant="h2">{what}</Typography>
        {use ? (
          <Typography variant="body2" sx={{ mt: 0.5 }}>
            <Link
              component={RouterLink}
              to={keep(`/claims?namespace=${row.namespace}${className ? `&class=${className}` : ''}`)}
            >
              {use.claims} {use.claims === 1 ? 'claim' : 'claims'}
            </Link>{' '}
            asked <Size bytes={use.requested} /> and got <Size bytes={use.provisioned} />; <Size bytes={use.consumed} />{' '}
            are written. With copies that takes <Size bytes={use.footprint} /> of raw space.
            {use.limit !== null && (
              <>
                {' '}
                Of the limit of <Size bytes={use.limit} />, <Size bytes={Math.max(0, use.limit - use.provisioned)} />{' '}
                are left.
              </>
            )}
          </Typography>
        ) : (
          <Typography variant="body2">No claim here.</Typography>
        )}
      </Box>
      <Column gap={1.5}>
        <Limit namespace={row.namespace} value={row.limit} what={row.namespace} may={may} />
        {className && (
          <Limit
            namespace={row.namespace}
            className={className}
            value={row.classes.find((c) => c.className === className)?.limit ?? null}
            what={`it in ${className}`}
            may={may}
          />
        )}
      </Column>
    </Sheet>
  );
}
