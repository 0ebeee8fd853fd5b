// Changes of one operator, sign, constant or bound that a program chooses when it starts: scripts/mutate
// writes them into a copy of the core, so that one build serves hundreds of changes. `a + b` becomes `a +
// Plus<7>{} + b`, which is `a - b` where 7 is chosen and `a + b` otherwise; operators stay in their places,
// so that precedence does.
#pragma once

#include <array>
#include <initializer_list>
#include <type_traits>

namespace williwaw::mutation {

inline constexpr int most_changes = 20000;
/// Below 0 no change is chosen, and those that are reached are marked.
inline int chosen = -1;
inline std::array<unsigned char, most_changes> reached{};

template <int id>
bool on() {
  static_assert(id < most_changes);
  if (chosen < 0) {
    reached[id] = 1;
    return false;
  }
  return chosen == id;
}

// Of whole numbers `changed`, of real ones `of_real`: a bound of whole numbers moves by one; a comparison of
// real ones is turned round, since what happens where both are equal to the last bit is seldom anybody's
// business.
#define WILLIWAW_SWITCH(name, usual, changed, of_real)                        \
  template <int id>                                                           \
  struct name {};                                                             \
  template <int id, class A>                                                  \
  struct name##_of {                                                          \
    const A& left;                                                            \
  };                                                                          \
  template <int id, class A>                                                  \
  name##_of<id, A> operator usual(const A& left, name<id>) {                  \
    return {left};                                                            \
  }                                                                           \
  template <int id, class A, class B>                                         \
  auto operator usual(name##_of<id, A> of, const B& right) {                  \
    if constexpr (std::is_floating_point_v<A> || std::is_floating_point_v<B>) \
      return on<id>() ? of.left of_real right : of.left usual right;          \
    else                                                                      \
      return on<id>() ? of.left changed right : of.left usual right;          \
  }

WILLIWAW_SWITCH(Plus, +, -, -)
WILLIWAW_SWITCH(Minus, -, +, +)
WILLIWAW_SWITCH(Times, *, /, /)
WILLIWAW_SWITCH(Over, /, *, *)
WILLIWAW_SWITCH(Equal, ==, !=, !=)
WILLIWAW_SWITCH(Unequal, !=, ==, ==)
WILLIWAW_SWITCH(Less, <, <=, >)
WILLIWAW_SWITCH(AtMost, <=, <, >=)
WILLIWAW_SWITCH(Greater, >, >=, <)
WILLIWAW_SWITCH(AtLeast, >=, >, <=)
#undef WILLIWAW_SWITCH

template <int id, class T>
T smaller(const T& a, const T& b) {
  return (b < a) != on<id>() ? b : a;
}

template <int id, class T>
T smaller(std::initializer_list<T> all) {
  T result = *all.begin();
  for (const T& one : all) result = smaller<id>(result, one);
  return result;
}

template <int id, class T>
T larger(const T& a, const T& b) {
  return (a < b) != on<id>() ? b : a;
}

template <int id, class T>
T larger(std::initializer_list<T> all) {
  T result = *all.begin();
  for (const T& one : all) result = larger<id>(result, one);
  return result;
}

}  // namespace williwaw::mutation
