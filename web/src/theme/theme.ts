import {
  Button,
  Checkbox,
  Menu,
  Modal,
  NativeSelect,
  Notification,
  NumberInput,
  Popover,
  SegmentedControl,
  Slider,
  Tabs,
  TextInput,
  Textarea,
  Tooltip,
  type MantineColorsTuple,
  createTheme,
} from '@mantine/core';
import css from './parts.module.css';

const raspberry: MantineColorsTuple = [
  '#fdeef1',
  '#f7d9df',
  '#eeb0bd',
  '#e58499',
  '#dd6079',
  '#d44763',
  '#b82a48',
  '#9f1f3b',
  '#911d36',
  '#78142a',
];

const sans = "'Figtree Variable', system-ui, sans-serif";
const serif = "'Fraunces Variable', Georgia, serif";

const field = { input: css.field, label: css.fieldLabel, root: css.fieldRoot };

/** Mantine in our paper and ink; the colours themselves are variables in `tokens.css`. */
export const theme = createTheme({
  colors: { raspberry },
  primaryColor: 'raspberry',
  primaryShade: { light: 6, dark: 6 },
  fontFamily: sans,
  headings: { fontFamily: serif, fontWeight: '620' },
  defaultRadius: 'md',
  cursorType: 'pointer',
  respectReducedMotion: true,
  fontSizes: { xs: '12px', sm: '13px', md: '14px', lg: '16px', xl: '19px' },
  components: {
    Button: Button.extend({
      defaultProps: { size: 'compact-sm', variant: 'default' },
      classNames: { root: css.button, label: css.buttonLabel },
    }),
    Slider: Slider.extend({
      defaultProps: { size: 5, thumbSize: 14, label: null },
      classNames: { root: css.slider, track: css.track, bar: css.bar, thumb: css.thumb },
    }),
    NativeSelect: NativeSelect.extend({ defaultProps: { size: 'xs' }, classNames: field }),
    TextInput: TextInput.extend({ defaultProps: { size: 'xs' }, classNames: field }),
    NumberInput: NumberInput.extend({
      defaultProps: { size: 'xs', hideControls: true },
      classNames: { ...field, input: `${css.field ?? ''} ${css.number ?? ''}` },
    }),
    Textarea: Textarea.extend({ classNames: { ...field, input: `${css.field ?? ''} ${css.text ?? ''}` } }),
    Checkbox: Checkbox.extend({
      defaultProps: { size: 'xs' },
      classNames: { body: css.checkBody, input: css.check, label: css.checkLabel },
    }),
    SegmentedControl: SegmentedControl.extend({
      defaultProps: { size: 'xs' },
      classNames: {
        root: css.choice,
        label: css.choiceLabel,
        indicator: css.choiceOn,
        control: css.choicePart,
      },
    }),
    Tabs: Tabs.extend({ classNames: { tab: css.tab, list: css.tabList } }),
    Tooltip: Tooltip.extend({
      defaultProps: { openDelay: 450, multiline: true, maw: 280, withArrow: true },
      classNames: { tooltip: css.tooltip },
    }),
    Menu: Menu.extend({
      // Gone at once: one that fades still holds the keyboard, and the next key would be lost.
      defaultProps: { shadow: 'md', transitionProps: { duration: 0 } },
      classNames: { dropdown: css.sheet, item: css.item, label: css.itemLabel },
    }),
    Popover: Popover.extend({ defaultProps: { shadow: 'md' }, classNames: { dropdown: css.sheet } }),
    Notification: Notification.extend({
      classNames: {
        root: css.notice,
        title: css.noticeTitle,
        description: css.noticeText,
        closeButton: css.noticeClose,
      },
    }),
    Modal: Modal.extend({
      defaultProps: { centered: true, closeButtonProps: { 'aria-label': 'Close' } },
      classNames: { content: css.sheet, header: css.sheet, title: css.title },
    }),
  },
});

/** Fonts for canvases, which take no variables. */
export const fonts = { sans, serif, ipa: "'Charis SIL', serif" };
