/// \file
/// Every public header of Pliant Gait.
#pragma once

#include "gait/bindings.hpp"
#include "gait/bvh.hpp"
#include "gait/character.hpp"
#include "gait/clip.hpp"
#include "gait/compile.hpp"
#include "gait/crowd.hpp"
#include "gait/cue_sheet.hpp"
#include "gait/diagnostic.hpp"
#include "gait/document.hpp"
#include "gait/ease.hpp"
#include "gait/events.hpp"
#include "gait/fit.hpp"
#include "gait/gltf.hpp"
#include "gait/inspect.hpp"
#include "gait/math.hpp"
#include "gait/measure.hpp"
#include "gait/performer.hpp"
#include "gait/rig.hpp"
#include "gait/smoothness.hpp"
#include "gait/travel.hpp"
