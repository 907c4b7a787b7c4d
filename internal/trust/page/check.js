// Nothing: that it may be installed at all is what was to be found out.
