import { expect, test } from 'vitest';
import { amountText } from './amounts';

test('an amount is said as one measures it', () => {
  expect(amountText(1.8, 'L')).toBe('1.80 L');
  expect(amountText(0.25, 'L')).toBe('250 mL');
  expect(amountText(0.0054, 'kg')).toBe('5.4 g');
});
