import type { GlobalThemeOverrides } from 'naive-ui'
import type { Tokens } from './tokens'

/** Naive UI in our paper and ink: no default blue or green is left. */
export function overrides(tokens: Tokens): GlobalThemeOverrides {
  return {
    common: {
      fontFamily: "'Public Sans Variable', system-ui, sans-serif",
      fontFamilyMono: "'JetBrains Mono Variable', monospace",
      fontSize: '13px',
      fontSizeMedium: '13px',
      fontSizeSmall: '12px',
      borderRadius: '0',
      borderRadiusSmall: '0',
      bodyColor: tokens.paper,
      cardColor: tokens.panel,
      popoverColor: tokens.panel,
      modalColor: tokens.panel,
      inputColor: tokens.panel,
      actionColor: tokens.wash,
      textColorBase: tokens.ink,
      textColor1: tokens.ink,
      textColor2: tokens.ink,
      textColor3: tokens.quiet,
      placeholderColor: tokens.quiet,
      placeholderColorDisabled: tokens.quiet,
      textColorDisabled: tokens.quiet,
      inputColorDisabled: tokens.wash,
      borderColor: tokens.line,
      dividerColor: tokens.line,
      hoverColor: tokens.wash,
      primaryColor: tokens.madder,
      primaryColorHover: tokens.madder,
      primaryColorPressed: tokens.ink,
      primaryColorSuppl: tokens.madder,
      infoColor: tokens.petrol,
      successColor: tokens.moss,
      warningColor: tokens.amber,
      errorColor: tokens.madder,
    },
    Tag: { color: tokens.wash, border: `1px solid ${tokens.line}`, fontSizeTiny: '12px', fontSizeSmall: '12px', fontSizeMedium: '12px', fontSizeLarge: '12px' },
    Checkbox: { textColorDisabled: tokens.quiet, colorDisabled: tokens.wash, colorDisabledChecked: tokens.wash, checkMarkColorDisabled: tokens.ink, checkMarkColorDisabledChecked: tokens.ink, borderDisabled: `1px solid ${tokens.line}`, borderDisabledChecked: `1px solid ${tokens.quiet}` },
    Button: { textColorPrimary: tokens.panel, textColorHoverPrimary: tokens.panel, textColorFocusPrimary: tokens.panel },
  }
}
