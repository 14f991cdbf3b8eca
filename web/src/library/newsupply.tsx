import { Plus } from "lucide-react";
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

export function NewSupply() {
  const create = useCreateSupply();
  const navigate = useNavigate();
  return (
    <>
      {create.isError && <span className="mr-3 text-missed">{create.error.message}</span>}
      <Button
        look="main"
        disabled={create.isPending}
        onClick={() =>
          create.mutate(EMPTY, { onSuccess: ({ id }) => void navigate(`/supplies/${id}/requirements`) })
        }
      >
        <Plus size={16} /> New supply
      </Button>
    </>
  );
}
