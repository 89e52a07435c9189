import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, newKey } from "../../api/client";

/** Opens a job on a machine and goes to its complaint. The same one, sent twice, is opened once. */
export function useOpenJob() {
  const [error, setError] = useState<Error | null>(null);
  const [opening, setOpening] = useState(false);
  const sent = useRef<{ form: string; key: string } | null>(null);
  const navigate = useNavigate();
  const open = async (machineId: number, complaint: string) => {
    const form = JSON.stringify([machineId, complaint.trim()]);
    if (sent.current?.form !== form) sent.current = { form, key: newKey() };
    setOpening(true);
    try {
      const job = await api.openJob(machineId, complaint.trim(), sent.current.key);
      navigate(`/jobs/${job.id}/complaint`);
    } catch (failure) {
      setError(failure as Error);
      setOpening(false);
    }
  };
  return { open, opening, error };
}
