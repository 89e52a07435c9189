"""From observations to suspects, reasons, and the next step."""
