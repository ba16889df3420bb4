build_quickly() # with the header read before
