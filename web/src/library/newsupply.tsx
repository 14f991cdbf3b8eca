import { FileUp, Plus } from "lucide-react";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";

import { useCreateSupply, type Supply } from "../api/client";
import { Button } from "../ui/button";

/** What most supplies of the trade are fed from; the requirements view is where it is changed. */
const EMPTY: Supply = {
  mellow_coil: 1,
  title: "New supply",
  notes: "",
  values: [],
  stages: [],
  parts: [],
  studies: [],
  readings: [],
  requirements: [],
  source: { kind: "mains", voltage: "230", lowest: "207", highest: "253", frequency: "50" },
};

/** Begins an empty supply, or takes one in from a document. */
export function NewSupply() {
  const create = useCreateSupply();
  const navigate = useNavigate();
  const file = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState<string>();
  const begin = (document: Supply, view: string) =>
    create.mutate(document, { onSuccess: ({ id }) => void navigate(`/supplies/${id}/${view}`) });
  const take = async (chosen: File | undefined) => {
    setProblem(undefined);
    if (!chosen) return;
    try {
      begin(JSON.parse(await chosen.text()) as Supply, "desk");
    } catch (error) {
      setProblem(`${chosen.name} is not a readable JSON document: ${String(error)}`);
    }
  };
  return (
    <div className="flex items-center gap-2">
      {(problem ?? create.error) && (
        <span role="alert" className="max-w-xl text-missed">
          {problem ?? create.error?.message}
        </span>
      )}
      <input
        ref={file}
        type="file"
        accept=".json,application/json"
        className="sr-only"
        aria-label="Document to import"
        tabIndex={-1}
        onChange={(event) => void take(event.target.files?.[0])}
      />
      <Button onClick={() => file.current?.click()}>
        <FileUp size={16} /> Import
      </Button>
      <Button look="main" disabled={create.isPending} onClick={() => begin(EMPTY, "requirements")}>
        <Plus size={16} /> New supply
      </Button>
    </div>
  );
}
