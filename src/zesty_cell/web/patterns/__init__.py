"""The editor of flying patterns: the strip itself, activities added, stretched and moved."""
