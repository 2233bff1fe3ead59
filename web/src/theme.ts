import { type MantineColorsTuple, createTheme } from '@mantine/core';

const raspberry: MantineColorsTuple = [
  '#fdeef1',
  '#f7d9df',
  '#eeb0bd',
  '#e58499',
  '#dd6079',
  '#d44763',
  '#c2304e',
  '#a92540',
  '#911d36',
  '#78142a',
];

const sans = "'Figtree Variable', system-ui, sans-serif";
const serif = "'Fraunces Variable', Georgia, serif";

/** Mantine in our paper and ink; the colours themselves are variables in `styles.css`. */
export const theme = createTheme({
  colors: { raspberry },
  primaryColor: 'raspberry',
  primaryShade: { light: 6, dark: 6 },
  fontFamily: sans,
  headings: { fontFamily: serif, fontWeight: '620' },
  defaultRadius: 'md',
  cursorType: 'pointer',
  fontSizes: { xs: '12px', sm: '13px', md: '14px', lg: '16px', xl: '19px' },
});

/** Fonts for canvases, which take no variables. */
export const fonts = { sans, serif, ipa: "'Charis SIL', serif" };
