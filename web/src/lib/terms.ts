/** What the field's terms mean, in a sentence. */
export const TERMS = {
  '95 %': 'In 95 of 100 cases the true value lies within this distance of the stated one.',
  'minimal detectable bias':
    'The smallest error of one observation that its test finds in 80 of 100 cases, at a risk of 0.1 % of calling a good one wrong.',
  'external reliability': 'How far an error just too small to be found can shift the result.',
  redundancy: 'The share of an observation that the others check: 0 unchecked, 1 fully checked.',
  'variance factor': 'How much the residuals scatter against the stated noise, squared: 1 when they agree.',
  'check point': 'A known point that took no part in the fit: it shows from outside how good the result is.',
  'control point': 'A known point that the block is fitted to.',
  'free block': 'The scans adjusted to one another alone, with no control: its shape is what was measured.',
  'not demonstrated': 'No evidence speaks against it, but too little speaks for it: what is missing stands beside.',
  misclosure: 'What is left over when the scans of a loop are chained and come back to the first.',
  overlap: 'The share of what one scan sees that the other sees too.',
  'combined factor': 'Point scale times height factor: what turns a length on site into one on the grid.',
  p: 'The chance of residuals at least this large when nothing is wrong.',
  coverage: 'The share of required surfaces seen within range, incidence and spacing.',
} as const
export type TermName = keyof typeof TERMS
