import { describe, expect, it } from 'vitest';
import { columnsOf, isPhoto, rowOf, secondsOf } from './photos';

const exif = {
  DateTimeOriginal: { value: ['2031:05:06 10:41:02'] },
  ExposureTime: { value: [1, 1000], description: '1/1000' },
  ISOSpeedRatings: { value: 200 },
  FNumber: { value: [28, 10] },
  PixelXDimension: { value: 5472 },
  PixelYDimension: { value: 3648 },
};
const gps = { Latitude: 55.1, Longitude: -4.3, Altitude: 431.5 };

describe('what a photo says of itself', () => {
  it('reads place, exposure and size, its clock as it stands where it names no zone', () => {
    const row = rowOf('P1.JPG', { exif, gps });
    expect(row).toMatchObject({
      lon: -4.3,
      lat: 55.1,
      altitude_m: 431.5,
      exposure_s: 0.001,
      iso: 200,
      f_number: 2.8,
      utc: false,
    });
    expect(row.at).toBe(Date.UTC(2031, 4, 6, 10, 41, 2) / 1000);
    expect(row.size).toEqual([5472, 3648]);
    expect(columnsOf([row]).clock).toBe('local');
  });

  it('goes by the offset of its zone, or by the time of the satellites', () => {
    const zoned = rowOf('a', { exif: { ...exif, OffsetTimeOriginal: { value: ['+01:00'] } }, gps });
    expect(zoned.at).toBe(Date.UTC(2031, 4, 6, 9, 41, 2) / 1000);
    const stamped = {
      ...exif,
      GPSDateStamp: { value: ['2031:05:06'] },
      GPSTimeStamp: {
        value: [
          [9, 1],
          [41, 1],
          [225, 100],
        ],
      },
    };
    const satellite = rowOf('b', { exif: stamped, gps });
    expect(satellite.at).toBe(Date.UTC(2031, 4, 6, 9, 41, 2) / 1000 + 0.25);
    expect(columnsOf([zoned, satellite]).clock).toBe('utc');
  });

  it('takes how the camera looked before how the aircraft lay, by what the names say', () => {
    const xmp = {
      FlightPitchDegree: { value: '+4.10' },
      GimbalPitchDegree: { value: '-89.90' },
      FlightYawDegree: { value: '12.0' },
      GimbalYawDegree: { value: '91.5' },
      RelativeAltitude: { value: '+80.12' },
    };
    const row = rowOf('c', { exif, gps, xmp });
    expect(row).toMatchObject({ pitch_deg: -89.9, heading_deg: 91.5, relative_m: 80.12 });
    expect(rowOf('d', { exif, gps, xmp: { FlightPitchDegree: { value: '+4' } } }).pitch_deg).toBeNull();
  });

  it('leaves open what is not there', () => {
    const row = rowOf('e', {});
    expect(row.at).toBeNull();
    expect(row.lon).toBeNull();
    const columns = columnsOf([row]);
    expect(columns.exposure_s).toEqual([]);
    expect(columns.lat).toEqual([null]);
  });

  it('knows a photo by its name and leaves hidden files alone', () => {
    expect(['a.JPG', 'b.tiff', 'c.dng', '._a.jpg', 'notes.txt', '.b.jpeg'].filter(isPhoto)).toEqual(['a.JPG', 'b.tiff', 'c.dng']);
    expect(secondsOf('0000:00:00 00:00:00')).toBeNull();
    expect(secondsOf('2031-05-06T10:41:02')).toBe(Date.UTC(2031, 4, 6, 10, 41, 2) / 1000);
  });
});
