"""The job itself: pure, typed, frozen values in, frozen values out.

Nothing here knows of screens, files or databases.  SI inside, with the unit in
every name (``capacity_ah``, ``resistance_ohm``, ``mass_kg``); temperatures are
°C at the face (``_c``) and K only inside the Arrhenius law.
"""
