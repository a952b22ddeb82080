// Calendar days from text.
#pragma once
#include <cstddef>

namespace nubrek {

enum class DateOrder { year_first, day_first, month_first };

// What stands in a text that looks like a date: three numbers (in written order), a time of day, an
// offset.
struct DateText {
  bool fine = false;        // the text is a date with an optional time and nothing else
  bool year_first = false;  // four digits stand first
  int first = 0, second = 0, third = 0;
  double seconds = 0;  // of the day, as written
  bool has_offset = false;
  int offset = 0;  // seconds east of Greenwich
};
DateText read_date(const char* text, std::size_t n);

// Days since 1970-01-01, or `kNoDay` when this is no day of the years 1900 to 2199 in that order.
constexpr int kNoDay = -2147483647 - 1;
int civil_day(int year, int month, int day);

// The year, month and day of days from 1970.
void civil_of_day(int day, int& year, int& month, int& of_month);
int day_of(const DateText& text, DateOrder order);

// How many texts are days when read each way (those that begin with a year are counted apart), and
// a first example (its place, from 1) of one that only one reading explains, or that both do.
struct OrderCounts {
  double year_first = 0, day_first = 0, month_first = 0, both = 0;
  int only_day = 0, only_month = 0, first_both = 0;
  void add(const DateText& text, int place);
};

}  // namespace nubrek
