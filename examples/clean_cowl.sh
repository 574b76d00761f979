#!/bin/sh
# The inlet cowl of Alder Weir, from torn facet file to a deck, on the command line.
# Run it in an empty folder: sh clean_cowl.sh
set -e

oddseam demo --data -o .                  # writes the raw inlet_cowl.stl, and the other parts of the demo

oddseam survey inlet_cowl.stl --unit mm   # what is wrong, and where
oddseam picture inlet_cowl.stl --unit mm -o before.png

oddseam mend inlet_cowl.stl --unit mm --fins 6 -o mended.seam    # .seam keeps everything, the account too
oddseam remesh mended.seam --size 4 -o even.seam
oddseam survey even.seam
oddseam picture even.seam -o after.png --title "Inlet cowl, mended and remeshed"

oddseam convert even.seam -o inlet_cowl_clean.stl
oddseam convert even.seam -o inlet_cowl_clean.bdf \
    --thickness 5 --young 210000 --poisson 0.3 --density 7.85e-9
oddseam account even.seam                 # what was done to it
