#!/usr/bin/env python3
"""The pair of stereo_pair.cpp by a general library's semi-global matching (python3-opencv): stereo_pair.py LEFT RIGHT DISPARITIES"""
import sys
import time

import cv2

left, right = (cv2.imread(path) for path in sys.argv[1:3])
truth = cv2.imread(sys.argv[3], cv2.IMREAD_GRAYSCALE).astype(float)
matcher = cv2.StereoSGBM_create(minDisparity=0, numDisparities=224, blockSize=5, P1=8 * 3 * 25, P2=32 * 3 * 25, disp12MaxDiff=1, uniquenessRatio=10,
                                speckleWindowSize=100, speckleRange=2, mode=cv2.STEREO_SGBM_MODE_SGBM_3WAY)
begun = time.time()
found = matcher.compute(left, right) / 16
seconds = time.time() - begun
known = truth > 0
given = known & (found > 0)
for limit in (1, 2):
    right_ones = (given & (abs(found - truth) <= limit)).sum()
    print(f"within {limit} px: {100 * right_ones / known.sum():.1f} % of all, {100 * right_ones / given.sum():.1f} % of those given")
print(f"given {100 * given.sum() / known.sum():.1f} %; {seconds:.2f} s")
