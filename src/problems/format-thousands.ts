/**
 * A whole number with a comma between thousands. The runtime's own way of writing numbers reads its tables of languages first: some
 * forty milliseconds, of a run that may take three hundred.
 */
export const formatThousands = (number: number): string => String(number).replace(/\B(?=(?:\d{3})+$)/g, ',');
