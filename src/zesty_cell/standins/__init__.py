"""Small simulated devices, each its own process, spoken to over loopback: for trying things without hardware."""
