import { describe, expect, it } from 'vitest';
import { dateOrdersOf, readNumber, readValue, readYesNo } from './values.ts';

describe('numbers', () => {
  it.each<[string, number | null, number | null]>([
    ['12', 12, 12],
    ['-3', -3, -3],
    ['1.5', 1.5, null],
    ['1,5', null, 1.5],
    ['1,234', 1234, 1.234],
    ['1.234', 1.234, 1234],
    ['1,234.50', 1234.5, null],
    ['1.234,50', null, 1234.5],
    ["1'234.50", 1234.5, null],
    ['1 234,50', null, 1234.5],
    ['€ 12,50', null, 12.5],
    ['12.50 £', 12.5, null],
    ['12,34,567', null, null],
    ['twelve', null, null],
    ['1e5', null, null],
    ['9'.repeat(400), null, null]
  ])('%s is %s with a point and %s with a comma', (cell, point, comma) => {
    expect(readNumber(cell, '.')).toBe(point);
    expect(readNumber(cell, ',')).toBe(comma);
  });
});

describe('dates', () => {
  const date = (cell: string, dates: 'day first' | 'month first' = 'day first') =>
    readValue(cell, { type: 'date', dates }, 'UTC');
  it.each([
    ['2027-03-01', '2027-03-01'],
    ['2027/3/1', '2027-03-01'],
    ['20270301', null],
    ['1.3.2027', '2027-03-01'],
    ['01/03/2027', '2027-03-01'],
    ['1-Mar-27', '2027-03-01'],
    ['1 March 2027', '2027-03-01'],
    ['5. May 1951', '1951-05-05'],
    ['1/3/51', '1951-03-01'],
    ['1/3/29', '2029-03-01'],
    ['01/03/2027 14:30', '2027-03-01'],
    ['46447', '2027-03-01'],
    ['46447.604', '2027-03-01'],
    ['2027-03-01T23:30:00Z', '2027-03-01'],
    ['31/02/2027', null],
    ['13/25/2027', null],
    ['1/3', null],
    ['0000-01-01', '0000-01-01'],
    ['soon', null]
  ])('%s is %s', (cell, expected) => expect(date(cell)).toBe(expected));

  it('the month first, where that is said', () => expect(date('1/3/2027', 'month first')).toBe('2027-01-03'));
  it('says whether its order matters', () => {
    expect(dateOrdersOf('1/3/2027')).toEqual({ orders: ['day first', 'month first'], hangsOnOrder: true });
    expect(dateOrdersOf('13/3/2027')).toEqual({ orders: ['day first'], hangsOnOrder: true });
    expect(dateOrdersOf('2027-03-01')).toEqual({ orders: ['day first', 'month first'], hangsOnOrder: false });
  });
  it('a time of day without a zone is meant where the workspace is', () => {
    const instant = (cell: string) => readValue(cell, { type: 'instant', dates: 'day first' }, 'Europe/Paris');
    expect(instant('1/7/2027 14:30')).toBe('2027-07-01T12:30:00.000Z');
    expect(instant('1/7/2027 2:30 pm')).toBe('2027-07-01T12:30:00.000Z');
    expect(instant('2027-07-01 00:30:15')).toBe('2027-06-30T22:30:15.000Z');
    expect(instant('2027-07-01T14:30:00+02:00')).toBe('2027-07-01T12:30:00.000Z');
    expect(instant('1/7/2027 25:30')).toBeNull();
    expect(instant('1/7/2027 13:30 pm')).toBeNull();
  });
});

describe('others', () => {
  it.each([
    ['Yes', true],
    ['NEIN', false],
    ['oui', true],
    ['sí', true],
    ['0', false],
    ['perhaps', null]
  ])('%s is %s', (cell, expected) => expect(readYesNo(cell)).toBe(expected));

  it('choices are those there are, however they are written', () => {
    const options = ['Deep sky', 'Planets'];
    expect(readValue('deep SKY', { type: 'choice', options }, 'UTC')).toBe('Deep sky');
    expect(readValue('comets', { type: 'choice', options }, 'UTC')).toBeNull();
    expect(readValue('planets; deep sky;planets', { type: 'choices', options }, 'UTC')).toEqual(
      ['Planets', 'Deep sky', 'Planets'].slice(0, 2)
    );
    expect(readValue('planets, deep sky', { type: 'choices', options }, 'UTC')).toEqual(['Planets', 'Deep sky']);
    expect(readValue('planets;comets', { type: 'choices', options }, 'UTC')).toBeNull();
    expect(readValue('a|b', { type: 'choices' }, 'UTC')).toEqual(['a', 'b']);
  });
});
