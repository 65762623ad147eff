/** A whole number with a comma between thousands. `Intl` would load its language tables first: about 40 ms of a run that may take 300 ms. */
export const formatThousands = (number: number): string => String(number).replace(/\B(?=(?:\d{3})+$)/g, ',');
