import { scaleLinear } from "d3-scale";

import type { Harmonics } from "../api/client";
import { prefix, symbol } from "../ui/quantity";

const [WIDTH, HEIGHT, LEFT, BOTTOM] = [640, 128, 56, 22];
/** Depth of the scale in decibels. */
const DEPTH = 80;

interface Props {
  harmonics: Harmonics;
  decibels: boolean;
}

/** Bars of the harmonics, with the limits as marks across them. */
export function Spectrum({ harmonics, decibels }: Props) {
  const { orders, unit } = harmonics;
  const largest = Math.max(
    1e-12,
    ...orders.map((o) => Math.max(o.rms, decibels ? 0 : (o.limit ?? 0) < 4 * o.rms ? (o.limit ?? 0) : 0)),
  );
  const first = orders[0]?.rms || largest;
  const [factor, letter] = prefix(largest, unit);
  // In decibels of the fundamental.
  const of = (rms: number) =>
    decibels ? Math.max(-DEPTH, 20 * Math.log10(rms / first || 1e-12)) : rms / factor;
  const top = decibels ? Math.max(0, of(largest)) : (1.05 * largest) / factor;
  const bottom = decibels ? -DEPTH : 0;
  const y = scaleLinear([bottom, top], [HEIGHT - BOTTOM, 6]);
  const x = scaleLinear([0.4, orders.length + 0.6], [LEFT, WIDTH]);
  const bar = 0.62 * (x(2) - x(1));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`Harmonics ${decibels ? "in decibels of the fundamental" : `in ${letter}${symbol(unit)} RMS`}; in figures beside it`}
      className="w-full"
    >
      {y.ticks(5).map((tick, k, all) => (
        <g key={tick}>
          <line x1={LEFT} x2={WIDTH} y1={y(tick)} y2={y(tick)} stroke="var(--hairline)" />
          <text
            x={LEFT - 6}
            y={y(tick) + 4}
            textAnchor="end"
            fontSize={11}
            className="figures"
            fill="var(--muted)"
          >
            {tick}
            {k === all.length - 1 && `\u2009${decibels ? "dB" : letter + symbol(unit)}`}
          </text>
        </g>
      ))}
      {orders.map((o) => {
        const over = o.limit != null && o.rms > o.limit;
        const height = Math.max(0, y(bottom) - y(of(o.rms)));
        return (
          <g key={o.order}>
            <rect
              x={x(o.order) - bar / 2}
              y={y(bottom) - height}
              width={bar}
              height={height}
              fill={over ? "var(--missed)" : "var(--teal)"}
            />
            {o.limit != null && of(o.limit) <= top && (
              <line
                x1={x(o.order) - 0.8 * bar}
                x2={x(o.order) + 0.8 * bar}
                y1={y(of(o.limit))}
                y2={y(of(o.limit))}
                stroke="var(--copper)"
                strokeWidth={2}
              />
            )}
            {(o.order === 1 || o.order % 5 === 0) && (
              <text
                x={x(o.order)}
                y={HEIGHT - 7}
                textAnchor="middle"
                fontSize={11}
                className="figures"
                fill="var(--muted)"
              >
                {o.order}
              </text>
            )}
          </g>
        );
      })}
      <line x1={LEFT} x2={WIDTH} y1={y(bottom)} y2={y(bottom)} stroke="var(--muted)" />
    </svg>
  );
}
