"""Light by rays on the CPU."""
