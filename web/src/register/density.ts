/** Γ of half a whole number. */
function gammaOfHalf(n: number): number {
  if (n === 1) return Math.sqrt(Math.PI)
  if (n === 2) return 1
  return (n / 2 - 1) * gammaOfHalf(n - 2)
}

/** Density of the length of a normalised residual of so many components: the chi distribution. */
export function density(x: number, dof: number): number {
  const k = Math.max(1, Math.round(dof))
  return (2 ** (1 - k / 2) * x ** (k - 1) * Math.exp((-x * x) / 2)) / gammaOfHalf(k)
}
