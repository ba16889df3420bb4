build_as_usual() # with the header read before
