/** What a plain field or choice looks like. */
export const FIELD = "h-7 rounded-md border border-hairline bg-panel px-2";
