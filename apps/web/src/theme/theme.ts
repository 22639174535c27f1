import { createTheme } from '@mui/material/styles';
import type {} from '@mui/x-data-grid/themeAugmentation';
import { tokens, type Look, type Tokens } from './tokens';

declare module '@mui/material/styles' {
  interface Theme {
    chart: Tokens;
  }
  interface ThemeOptions {
    chart?: Tokens;
  }
}

const text = '"Atkinson Hyperlegible Next", sans-serif';
export const mono = '"Atkinson Hyperlegible Mono", monospace';

/** MUI as a toolkit, in the look of a harbour chart: paper, ink, hairlines, square corners, no shadows. */
export function makeTheme(look: Look) {
  const t = tokens[look];
  return createTheme({
    chart: t,
    spacing: 8,
    shape: { borderRadius: 0 },
    palette: {
      mode: look === 'day' ? 'light' : 'dark',
      primary: { main: t.tide },
      error: { main: t.buoy },
      warning: { main: t.lamp },
      text: { primary: t.ink, secondary: t.secondInk, disabled: t.secondInk },
      background: { default: t.paper, paper: t.sheet },
      divider: t.rule,
    },
    typography: {
      fontFamily: text,
      fontSize: 13,
      h1: { fontSize: 20, fontWeight: 600, lineHeight: 1.3 },
      h2: { fontSize: 15, fontWeight: 600, lineHeight: 1.4 },
      h3: { fontSize: 13, fontWeight: 600, lineHeight: 1.5 },
      body1: { fontSize: 14, lineHeight: 1.45 },
      body2: { fontSize: 13, lineHeight: 1.45 },
      caption: { fontSize: 12, lineHeight: 1.35 },
      button: { textTransform: 'none', fontWeight: 600 },
    },
    components: {
      MuiChip: { styleOverrides: { root: { borderRadius: 0 } } },
      MuiCssBaseline: {
        styleOverrides: {
          'html, body, #root': { height: '100%' },
          body: { fontVariantNumeric: 'tabular-nums' },
          code: { fontFamily: mono, fontSize: '0.95em' },
          ':focus-visible': { outline: `2px solid ${t.tide}`, outlineOffset: 1 },
          a: { color: t.tide },
          '@keyframes changed': { from: { backgroundColor: t.depth[1] }, to: { backgroundColor: 'transparent' } },
          // on paper: the sheet alone, in black, and as long as it is
          '@media print': {
            'html, body, #root, #root *': { height: 'auto !important', overflow: 'visible !important' },
            'header, nav, button, [role=tooltip], [aria-label=Line]': { display: 'none !important' },
            '*': { color: '#000 !important', backgroundColor: 'transparent !important' },
          },
          '@media (prefers-reduced-motion: reduce)': {
            '*': { animation: 'none !important', transition: 'none !important' },
          },
        },
      },
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { disableElevation: true, size: 'small', variant: 'outlined' },
        styleOverrides: {
          root: {
            borderColor: t.rule,
            color: t.ink,
            minHeight: 30,
            paddingInline: 12,
            // a word that is coming to be there is not first shown too faint to read
            transition: 'none',
            '&:hover': { borderColor: t.tide, backgroundColor: t.depth[0] },
          },
          contained: { backgroundColor: t.ink, color: t.sheet, '&:hover': { backgroundColor: t.tide, color: t.sheet } },
        },
      },
      MuiPaper: {
        defaultProps: { elevation: 0 },
        styleOverrides: { root: { backgroundImage: 'none', border: `1px solid ${t.rule}` } },
      },
      MuiTextField: { defaultProps: { size: 'small', variant: 'outlined' } },
      MuiOutlinedInput: {
        styleOverrides: {
          root: {
            backgroundColor: t.sheet,
            fontSize: 14,
            '& fieldset': { borderColor: t.rule },
            '&:hover fieldset': { borderColor: `${t.secondInk} !important` },
          },
          input: { paddingBlock: 6 },
        },
      },
      MuiFormHelperText: { styleOverrides: { root: { marginLeft: 0, fontSize: 12 } } },
      MuiTooltip: {
        // a tooltip describes what has a name of its own
        defaultProps: { enterDelay: 300, describeChild: true },
        styleOverrides: { tooltip: { backgroundColor: t.ink, color: t.sheet, fontSize: 12, maxWidth: 420 } },
      },
      MuiTableCell: {
        styleOverrides: {
          root: { padding: '5px 10px', borderColor: t.rule, fontSize: 13 },
          head: { color: t.secondInk, fontWeight: 600, whiteSpace: 'nowrap', verticalAlign: 'bottom' },
        },
      },
      MuiToggleButton: {
        styleOverrides: {
          root: {
            padding: '3px 10px',
            color: t.ink,
            borderColor: t.rule,
            textTransform: 'none',
            fontSize: 13,
            '&.Mui-selected': {
              backgroundColor: t.depth[1],
              color: t.onDepth[1],
              fontWeight: 600,
              '&:hover': { backgroundColor: t.depth[1] },
            },
          },
        },
      },
      MuiLink: { defaultProps: { underline: 'always' } },
      MuiDataGrid: {
        styleOverrides: {
          root: {
            border: `1px solid ${t.rule}`,
            backgroundColor: t.sheet,
            fontSize: 13,
            '--DataGrid-rowBorderColor': t.rule,
            '--DataGrid-t-header-background-base': t.sheet,
            '--DataGrid-t-color-background-base': t.sheet,
            '& .MuiDataGrid-columnHeaderTitle': { fontWeight: 600, color: t.secondInk },
            '& .MuiDataGrid-row.Mui-selected': {
              backgroundColor: t.depth[0],
              '&:hover': { backgroundColor: t.depth[0] },
            },
            '& .MuiDataGrid-row:hover': { backgroundColor: t.depth[0] },
            '& .MuiDataGrid-row': { cursor: 'pointer' },
          },
        },
      },
    },
  });
}
