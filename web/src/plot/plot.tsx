import { useEffect, useRef, type ComponentProps } from "react";

import { canvasPen, type Draw } from "./pen";
import type { Size } from "./frame";

interface Props extends ComponentProps<"canvas"> {
  size: Size;
  label: string;
  draw: Draw;
}

/** A picture that is drawn anew when what it shows or the theme changes. */
export function Plot({ size, label, draw, ref, ...rest }: Props) {
  const canvas = useRef<HTMLCanvasElement | null>(null);
  useEffect(() => {
    const paint = () => canvas.current && painted(canvas.current, size, draw);
    const frame = requestAnimationFrame(paint);
    window.addEventListener("themechange", paint);
    return () => {
      cancelAnimationFrame(frame);
      window.removeEventListener("themechange", paint);
    };
  }, [draw, size]);
  return (
    <canvas
      {...rest}
      ref={(element) => {
        canvas.current = element;
        if (typeof ref === "function") ref(element);
        else if (ref) ref.current = element;
      }}
      role="img"
      aria-label={label}
      style={{ width: size.width, height: size.height }}
    />
  );
}

/** Paints a canvas at the resolution of the screen. */
export function painted(canvas: HTMLCanvasElement, size: Size, draw: Draw) {
  const context = canvas.getContext("2d");
  if (!context) return;
  const ratio = window.devicePixelRatio || 1;
  canvas.width = Math.round(size.width * ratio);
  canvas.height = Math.round(size.height * ratio);
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  draw(canvasPen(context));
}
