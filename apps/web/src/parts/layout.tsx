import { Box, Paper, styled, TableCell, type Theme } from '@mui/material';
import type { OverridableComponent } from '@mui/material/OverridableComponent';
import type { BoxTypeMap } from '@mui/system';

const ownProps = new Set(['gap', 'align', 'justify', 'wraps']);
const options = { shouldForwardProp: (prop: string) => !ownProps.has(prop) };

interface Along {
  /** Space between the parts, in units of the theme. */
  readonly gap?: number;
  readonly align?: 'center' | 'baseline' | 'flex-start' | 'flex-end' | 'stretch';
  readonly justify?: 'flex-end' | 'space-between' | 'center';
  readonly wraps?: boolean;
}
// styling loses that a box may be drawn as another element: the cast gives it back
const along = (flexDirection: 'row' | 'column') =>
  styled(
    Box,
    options,
  )<Along>(({ theme, gap = 1, align, justify, wraps }) => ({
    display: 'flex',
    flexDirection,
    gap: theme.spacing(gap),
    ...(align && { alignItems: align }),
    ...(justify && { justifyContent: justify }),
    ...(wraps && { flexWrap: 'wrap' }),
  })) as unknown as OverridableComponent<BoxTypeMap<Along, 'div', Theme>>;

/** Parts beside each other. */
export const Row = along('row');
/** Parts below each other. */
export const Column = along('column');

/** Takes the room that is left in a row. */
export const Fill = styled(Box)({ flex: 1, minWidth: 0 }) as typeof Box;

/** A sheet of paper with its margin. */
export const Sheet = styled(Paper)(({ theme }) => ({ padding: theme.spacing(2) })) as typeof Paper;

/** A list without marks. */
export const Plain = styled('ul')({ listStyle: 'none', margin: 0, padding: 0 });

/** A cell of a table that says less than its neighbours. */
export const FaintCell = styled(TableCell)(({ theme }) => ({
  color: theme.palette.text.secondary,
})) as typeof TableCell;
