/** Terms of the field, and what each means in a sentence. */
export const terms = {
  at95: { name: '95 %', means: 'In 95 of 100 cases the true value lies within this distance of the stated one.' },
  minimalDetectableBias: {
    name: 'minimal detectable bias',
    means:
      'The smallest error of one observation that its test finds in 80 of 100 cases, at a risk of 0.1 % of calling a good one wrong.',
  },
  externalReliability: {
    name: 'external reliability',
    means: 'How far an error just too small to be found can shift the result.',
  },
  redundancy: {
    name: 'redundancy',
    means: 'The share of an observation that the others check: 0 unchecked, 1 fully checked.',
  },
  varianceFactor: {
    name: 'variance factor',
    means: 'How much the residuals scatter against the stated noise, squared: 1 when they agree.',
  },
  checkPoint: {
    name: 'check point',
    means: 'A known point that took no part in the fit: it shows from outside how good the result is.',
  },
  controlPoint: { name: 'control point', means: 'A known point that the block is fitted to.' },
  freeBlock: {
    name: 'free block',
    means: 'The scans adjusted to one another alone, with no control: its shape is what was measured.',
  },
  notDemonstrated: {
    name: 'not demonstrated',
    means: 'No evidence speaks against it, but too little speaks for it: what is missing stands beside.',
  },
  misclosure: {
    name: 'misclosure',
    means: 'What is left over when the scans of a loop are chained and come back to the first.',
  },
  overlap: { name: 'overlap', means: 'The share of what one scan sees that the other sees too.' },
  combinedFactor: {
    name: 'combined factor',
    means: 'Point scale times height factor: what turns a length on site into one on the grid.',
  },
  p: { name: 'p', means: 'The chance of residuals at least this large when nothing is wrong.' },
  coverage: { name: 'coverage', means: 'The share of required surfaces seen within range, incidence and spacing.' },
}
