"""The screens: one module per page, geometry in ``drawing``, markup in ``templates``."""
