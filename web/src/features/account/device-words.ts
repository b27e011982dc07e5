/** What a browser calls itself, in words: nobody reads the line that it sends. */
const BROWSERS: [RegExp, string][] = [
  [/\bEdg/, 'Edge'],
  [/\bOPR\//, 'Opera'],
  [/\bFirefox\/|\bFxiOS\//, 'Firefox'],
  [/\bChrome\/|\bCriOS\/|HeadlessChrome/, 'Chrome'],
  [/\bSafari\//, 'Safari'],
];
const DEVICES: [RegExp, string][] = [
  [/\biPad\b/, 'iPad'],
  [/\biPhone\b/, 'iPhone'],
  [/\bAndroid\b.*\bMobile\b/, 'Android phone'],
  [/\bAndroid\b/, 'Android tablet'],
  [/\bWindows\b/, 'Windows'],
  [/\bMac OS X\b/, 'Mac'],
  [/\bCrOS\b/, 'Chromebook'],
  [/\bLinux\b/, 'Linux'],
];

const first = (list: [RegExp, string][], line: string) => list.find(([sign]) => sign.test(line))?.[1];

/** Return "Firefox on Android tablet", or the beginning of the line where nothing in it is known. */
export function deviceWords(line: string): string {
  const browser = first(BROWSERS, line);
  const device = first(DEVICES, line);
  if (browser && device) return `${browser} on ${device}`;
  return browser ?? device ?? (line.slice(0, 40) || 'unknown device');
}
