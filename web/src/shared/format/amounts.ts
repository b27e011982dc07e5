/** An amount of a product as one measures it: litres and kilograms, millilitres and grams where it is little. */
export function amountText(value: number, unit: string): string {
  if (value >= 1) return `${value.toFixed(2)} ${unit}`;
  const small = value * 1000;
  return `${small.toFixed(small >= 100 ? 0 : 1)} ${unit === 'L' ? 'mL' : 'g'}`;
}
