"""Discharge runs of single packs: what a charger or a load recorded, and what follows from one run or several."""
