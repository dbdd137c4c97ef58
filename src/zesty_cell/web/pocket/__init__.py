"""The phone's application: installed, without a network all day, from what it took along."""
