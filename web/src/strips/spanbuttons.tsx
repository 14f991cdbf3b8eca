import type { View } from "../plot/frame";
import { zoomed } from "../plot/strip";
import { Button } from "../ui/button";

interface Props {
  /** What shows everything is called, and says. */
  all: [name: string, title: string];
  view: View;
  span?: View;
  onView: (view: View | undefined) => void;
  onSpan: (span: View) => void;
}

/** Everything, the span, and the span brought to what is shown. */
export function SpanButtons({ all: [name, title], view, span, onView, onSpan }: Props) {
  return (
    <>
      <Button look="quiet" className="h-6 text-xs" onClick={() => onView(undefined)} title={title}>
        {name}
      </Button>
      <Button
        look="quiet"
        className="h-6 text-xs"
        disabled={!span}
        title="Show the span and a little beside it"
        onClick={() => span && onView(zoomed(span, (span.from + span.to) / 2, 1.2))}
      >
        Zoom to span
      </Button>
      <Button
        look="quiet"
        className="h-6 text-xs"
        title="Set the span to the middle of what is shown"
        onClick={() => onSpan(zoomed(view, (view.from + view.to) / 2, 0.5))}
      >
        Span here
      </Button>
    </>
  );
}
