import { describe, expect, it } from 'vitest';
import { calling, figureLabel, figureText, stepWord } from './words';

const call = { set: '06 + 07', member: '06', flight: 'S2', port: 3 };

describe('words', () => {
  it.each([
    ['on_port', '06 on port 3'],
    ['off_port', '06 off port 3'],
    ['fit', '06 + 07 into Wren'],
    ['launch', 'Launch S2, Wren'],
    ['turn_back', 'Turn back S2, latest'],
    ['land', 'S2 lands, 06 + 07 to rest'],
  ])('a call %s reads %s', (kind, text) => expect(calling({ ...call, kind }, 'Wren')).toBe(text));

  it('names figures and shows them in the units of the person', () => {
    expect(figureLabel('ground_sample_m')).toBe('GSD');
    expect(figureText('ground_sample_m', 0.0113, 'metric')).toBe('1.13 cm');
    expect(figureText('volume_l', 80, 'imperial')).toBe('21.1 US gal');
    expect(figureText('detection_frac', 0.632, 'metric')).toBe('63 %');
    expect(figureText('pictures_count', 3101, 'metric')).toBe('3\u202f101');
  });

  it('falls back to the name of the figure, without its unit', () => {
    expect(figureLabel('unheard_of')).toBe('unheard_of');
    expect(figureText('unheard_of', 1.234, 'metric')).toBe('1.23');
    expect(stepWord('cross_wind_m_s')).toBe('cross wind');
    expect(stepWord('usable_wh')).toBe('usable');
  });
});
