export const check = {
  achieved: (small: string) => `achieved [${small}]`,
  againstTheLimit: 'against the limit',
  allRequirementsMet: (of: number) => `All ${of} requirements met`,
  atMost95: (bound: string) => `at most ${bound} (95 %)`,
  check: 'Check',
  evidence: 'Evidence',
  measurePointSpacingOn: 'Measure point spacing on required surfaces',
  nothingHasBeenSigned: 'Nothing has been signed for you yet.',
  nothingIsAskedFor: 'Nothing is asked for. Set the requirement on the brief.',
  ofRequirementsNotDemonstrated: (open: number, of: number) => `${open} of ${of} requirements not demonstrated`,
  ofRequirementsNotMet: (bad: number, of: number) => `${bad} of ${of} requirements not met`,
  predicted: (small: string) => `predicted [${small}]`,
  required: (small: string) => `required [${small}]`,
  requirement: 'Requirement',
  shownByEvidenceThat: 'Shown by evidence that took no part in the result.',
  theGeoreferencingIsOut: 'the georeferencing is out of date',
  theVerdicts: 'The verdicts',
  theVerdictSpeaksOf:
    'The verdict speaks of measured accuracy only. It never says that a boundary or a design is right: a licensed professional signs for those where the law asks for one.',
  thisDataIsNot:
    'This data is not fit for what the client asked until the rows below are mended or the limit is changed by the client.',
  verdict: 'Verdict',
  whatIsNotDemonstrated:
    'What is not demonstrated is not promised: the evidence column says what is missing or speaks against it.',
}
