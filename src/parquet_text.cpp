#include "parquet_text.h"
#include <charconv>
#include "date_kernels.h"
#include "parquet_bytes.h"
#include "regular_file.h"
#include "threads.h"

namespace nubrek {
namespace {

// Snappy's block format.
void unpack(const Byte* from, std::size_t n, std::vector<Byte>& out) {
  Bytes in{from, from + n};
  const std::size_t size = static_cast<std::size_t>(in.varint());
  if (size > (1u << 30)) refuse("a page too large");
  out.resize(size);
  std::size_t at = 0;
  while (in.left() > 0) {
    const Byte tag = *in.take(1);
    if ((tag & 3) == 0) {
      std::size_t length = (tag >> 2) + 1u;
      if (length > 60) {
        const std::size_t more = length - 60;
        const Byte* bytes = in.take(more);
        length = 0;
        for (std::size_t i = 0; i < more; ++i)
          length |= static_cast<std::size_t>(bytes[i]) << (8 * i);
        ++length;
      }
      const Byte* text = in.take(length);
      if (at + length > size) refuse("a page that does not fit");
      std::memcpy(out.data() + at, text, length);
      at += length;
      continue;
    }
    std::size_t length, back;
    if ((tag & 3) == 1) {
      length = ((tag >> 2) & 7) + 4u;
      back = (static_cast<std::size_t>(tag >> 5) << 8) | *in.take(1);
    } else {
      length = (tag >> 2) + 1u;
      const std::size_t wide = (tag & 3) == 2 ? 2 : 4;
      const Byte* bytes = in.take(wide);
      back = 0;
      for (std::size_t i = 0; i < wide; ++i) back |= static_cast<std::size_t>(bytes[i]) << (8 * i);
    }
    if (back == 0 || back > at || at + length > size) refuse("a page that does not fit");
    if (back >= length)
      std::memcpy(out.data() + at, out.data() + at - back, length);
    else
      for (std::size_t i = 0; i < length; ++i) out[at + i] = out[at + i - back];
    at += length;
  }
  if (at != size) refuse("a page that does not fit");
}

// Runs and packed groups of small numbers.
class SmallNumbers {
 public:
  SmallNumbers(Bytes in, int width) : in_(in), width_(width) {
    if (width < 0 || width > 32) refuse("numbers too wide");
  }
  // Whether the next `n` are all `value`; if so they are taken.
  bool take_equal(std::size_t n, std::uint32_t value) {
    if (n == 0) return true;
    if (run_ == 0 && packed_ == 0) begin();
    if (run_ < n || value_ != value) return false;
    run_ -= n;
    return true;
  }
  std::uint32_t next() {
    while (run_ == 0 && packed_ == 0) begin();
    if (run_ > 0) {
      --run_;
      return value_;
    }
    --packed_;
    while (bits_ < width_) {
      held_ |= static_cast<std::uint64_t>(*in_.take(1)) << bits_;
      bits_ += 8;
    }
    const std::uint32_t out =
        static_cast<std::uint32_t>(held_ & ((std::uint64_t{1} << width_) - 1));
    held_ >>= width_;
    bits_ -= width_;
    return out;
  }

 private:
  void begin() {
    const std::uint64_t head = in_.varint();
    if (head & 1) {
      packed_ = (head >> 1) * 8;
      bits_ = 0;
      held_ = 0;
    } else {
      run_ = head >> 1;
      value_ = 0;
      for (int i = 0; i < (width_ + 7) / 8; ++i)
        value_ |= static_cast<std::uint32_t>(*in_.take(1)) << (8 * i);
    }
  }

  Bytes in_;
  int width_;
  std::uint64_t run_ = 0, packed_ = 0, held_ = 0;
  int bits_ = 0;
  std::uint32_t value_ = 0;
};

struct PageHeader {
  int kind = -1, encoding = -1;
  std::int64_t packed = 0, unpacked = 0, values = 0, levels = 0, repeats = 0;
  bool compressed = true;
};

PageHeader page_header(Bytes& in) {
  PageHeader out;
  read_struct(in, [&](int id, int type) {
    if (id == 1) {
      out.kind = static_cast<int>(in.zigzag());
      return true;
    }
    if (id == 2) {
      out.unpacked = in.zigzag();
      return true;
    }
    if (id == 3) {
      out.packed = in.zigzag();
      return true;
    }
    if ((id != 5 && id != 7 && id != 8) || type != kStruct) return false;
    read_struct(in, [&](int field, int of) {
      if (field == 1) {
        out.values = in.zigzag();
        return true;
      }
      if (field == (id == 8 ? 4 : 2)) {
        out.encoding = static_cast<int>(in.zigzag());
        return true;
      }
      if (id == 8 && field == 5) {
        out.levels = in.zigzag();
        return true;
      }
      if (id == 8 && field == 6) {
        out.repeats = in.zigzag();
        return true;
      }
      if (id == 8 && field == 7) {
        out.compressed = of == kTrue;
        return true;
      }
      return false;
    });
    return true;
  });
  if (out.packed < 0 || out.values < 0 || out.levels < 0 || out.repeats != 0)
    refuse("a page that is not known");
  return out;
}

// Values of plain pages as texts. Those of numbers and days stand in `room`.
class PlainTexts {
 public:
  PlainTexts(ParquetKind kind, std::size_t values, const Bytes& page, std::vector<char>& room)
      : kind_(kind) {
    if (kind != ParquetKind::text) {
      if (values > page.left() / sizeof(std::int32_t)) refuse("more values than bytes");
      room.resize(values * kWidest);
    }
    to_ = room.data();
  }
  std::string_view next(Bytes& in) {
    if (kind_ == ParquetKind::text) {
      const std::size_t n = in.number32();
      return {reinterpret_cast<const char*>(in.take(n)), n};
    }
    char* const from = to_;
    if (kind_ == ParquetKind::day) {
      to_ = day_text(number<std::int32_t>(in), to_);
    } else {
      const std::int64_t value =
          kind_ == ParquetKind::whole32 ? number<std::int32_t>(in) : number<std::int64_t>(in);
      // doubles, which the general reader gives, cannot tell them apart
      if (value >= kTooLong || value <= -kTooLong) refuse("numbers too long");
      to_ = std::to_chars(to_, to_ + kWidest, value).ptr;
    }
    return {from, static_cast<std::size_t>(to_ - from)};
  }

 private:
  static constexpr std::size_t kWidest = 24;
  static constexpr std::int64_t kTooLong = std::int64_t{1} << 53;

  template <class T>
  static T number(Bytes& in) {
    T out;
    std::memcpy(&out, in.take(sizeof out), sizeof out);
    return out;
  }
  static char* day_text(int day, char* to) {
    int year, month, of_month;
    civil_of_day(day, year, month, of_month);
    if (year < 1000 || year > 9999) refuse("a day that is not usual");
    const int parts[3] = {year, month, of_month};
    for (const int part : parts) {
      if (part < 10) *to++ = '0';
      to = std::to_chars(to, to + 4, part).ptr;
      *to++ = '-';
    }
    return to - 1;
  }

  ParquetKind kind_;
  char* to_;
};

// One run of pages of one column.
class ChunkReader {
 public:
  ChunkReader(const std::vector<Byte>& bytes, const ParquetColumn& column, int codec, int missing,
              Coder& coder, std::vector<int>& out)
      : in_{bytes.data(), bytes.data() + bytes.size()},
        optional_(column.optional),
        kind_(column.kind),
        codec_(codec),
        missing_(missing),
        coder_(coder),
        out_(out) {}

  void read(std::int64_t values) {
    const std::size_t wanted = out_.size() + static_cast<std::size_t>(values);
    while (out_.size() < wanted) {
      const PageHeader head = page_header(in_);
      if (head.kind != 2 && head.values > values) refuse("more values than rows");
      const Byte* body = in_.take(static_cast<std::size_t>(head.packed));
      if (head.kind == 2)
        dictionary(head,
                   open(body, static_cast<std::size_t>(head.packed), true, dictionary_bytes_));
      else if (head.kind == 0) {
        Bytes page = open(body, static_cast<std::size_t>(head.packed), true, page_bytes_);
        Bytes levels{nullptr, nullptr};
        if (optional_) {
          const std::size_t n = page.number32();
          const Byte* at = page.take(n);
          levels = {at, at + n};
        }
        data(head, levels, page);
      } else if (head.kind == 3) {
        const std::size_t n = static_cast<std::size_t>(head.levels);
        if (n > static_cast<std::size_t>(head.packed)) refuse("a page that does not fit");
        data(head, {body, body + n},
             open(body + n, static_cast<std::size_t>(head.packed) - n, head.compressed,
                  page_bytes_));
      } else
        refuse("a page that is not known");
    }
    if (out_.size() != wanted) refuse("more values than rows");
  }

 private:
  Bytes open(const Byte* body, std::size_t n, bool compressed, std::vector<Byte>& room) {
    if (codec_ == 0 || !compressed) return {body, body + n};
    if (codec_ != 1) refuse("another compression");
    unpack(body, n, room);
    return {room.data(), room.data() + room.size()};
  }
  // The dictionary's texts stay while their pages are read, so their bytes do.
  void dictionary(const PageHeader& head, Bytes page) {
    if (head.encoding != 0 && head.encoding != 2) refuse("a dictionary that is not known");
    words_.clear();
    PlainTexts texts(kind_, static_cast<std::size_t>(head.values), page, dictionary_room_);
    for (std::int64_t i = 0; i < head.values; ++i) words_.push_back(texts.next(page));
    codes_.assign(words_.size(), 0);
  }
  void data(const PageHeader& head, Bytes levels, Bytes page) {
    const std::size_t n = static_cast<std::size_t>(head.values);
    std::size_t there = n;
    SmallNumbers level(levels, 1);
    const bool whole = !optional_ || level.take_equal(n, 1);
    if (!whole) {
      present_.assign(n, 1);
      there = 0;
      for (auto& one : present_) {
        one = static_cast<char>(level.next());
        there += one != 0;
      }
    }
    found_.resize(there);
    if (head.encoding == 0) {
      texts_.clear();
      PlainTexts texts(kind_, there, page, page_room_);
      for (std::size_t i = 0; i < there; ++i) texts_.push_back(texts.next(page));
      coder_.code(texts_.data(), there, found_.data());
    } else if (head.encoding == 2 || head.encoding == 8) {
      SmallNumbers index({page.p + (page.left() > 0), page.end}, page.left() > 0 ? *page.p : 0);
      // new words are looked up together, in the order in which they come
      texts_.clear();
      fresh_.clear();
      for (std::size_t i = 0; i < there; ++i) {
        const std::uint32_t at = index.next();
        if (at >= words_.size()) refuse("a word outside the dictionary");
        found_[i] = static_cast<int>(at);
        if (codes_[at] != 0) continue;
        codes_[at] = -1;
        texts_.push_back(words_[at]);
        fresh_.push_back(at);
      }
      new_codes_.resize(texts_.size());
      coder_.code(texts_.data(), texts_.size(), new_codes_.data());
      for (std::size_t k = 0; k < fresh_.size(); ++k) codes_[fresh_[k]] = new_codes_[k];
      for (auto& one : found_) one = codes_[static_cast<std::size_t>(one)];
    } else
      refuse("another encoding");
    if (whole) {
      out_.insert(out_.end(), found_.begin(), found_.end());
      return;
    }
    std::size_t next = 0;
    for (const char one : present_) out_.push_back(one ? found_[next++] : missing_);
  }

  Bytes in_;
  const bool optional_;
  const ParquetKind kind_;
  const int codec_, missing_;
  Coder& coder_;
  std::vector<int>& out_;
  std::vector<Byte> dictionary_bytes_, page_bytes_;
  std::vector<char> dictionary_room_, page_room_;
  std::vector<std::string_view> words_, texts_;
  std::vector<int> codes_, found_, new_codes_;
  std::vector<std::uint32_t> fresh_;
  std::vector<char> present_;
};

}  // namespace

void code_parquet_column(const std::string& path, const ParquetColumn& column, int missing,
                         Coder& coder, std::vector<int>& out) {
  File file(path);
  for (const ParquetChunk& chunk : column.chunks) {
    const std::vector<Byte> bytes = file.read(chunk.from, chunk.bytes);
    ChunkReader(bytes, column, chunk.codec, missing, coder, out).read(chunk.values);
  }
}

namespace {

// One column of all files; false where anything about it is unusual.
bool code_column(const std::vector<std::string>& files, const std::vector<ParquetTable>& tables,
                 int missing, ParquetTextColumn& out) {
  Coder coder;
  for (std::size_t f = 0; f < files.size(); ++f) {
    const ParquetColumn* mine = nullptr;
    for (const auto& column : tables[f].columns)
      if (column.kind == out.kind && column.name == out.name) mine = &column;
    if (!mine) return false;
    const std::size_t wanted = out.codes.size() + static_cast<std::size_t>(tables[f].rows);
    out.codes.reserve(wanted);
    code_parquet_column(files[f], *mine, missing, coder, out.codes);
    if (out.codes.size() != wanted) return false;
  }
  out.texts = coder.store();
  return readable(*out.texts);
}

bool same_columns(const ParquetTable& a, const ParquetTable& b) {
  if (a.columns.size() != b.columns.size()) return false;
  for (std::size_t k = 0; k < a.columns.size(); ++k)
    if (a.columns[k].name != b.columns[k].name) return false;
  return true;
}

}  // namespace

bool read_parquet_texts(const std::vector<std::string>& files, int missing, int threads,
                        ParquetTexts& out) {
  std::vector<ParquetTable> tables;
  try {
    for (const auto& file : files) tables.push_back(parquet_table(file));
  } catch (const std::exception&) {
    return false;
  }
  for (const auto& table : tables) {
    if (table.rows > 2147483646 || !same_columns(table, tables[0])) return false;
    out.rows.push_back(static_cast<int>(table.rows));
  }
  for (const auto& column : tables[0].columns) {
    out.names.push_back(column.name);
    if (column.kind != ParquetKind::other)
      out.columns.push_back({column.name, column.kind, {}, nullptr});
  }
  std::vector<char> fine(out.columns.size(), 0);
  run_tasks(out.columns.size(), threads, [&](std::size_t k) {
    try {
      fine[k] = code_column(files, tables, missing, out.columns[k]);
    } catch (const std::exception&) {
    }  // refused, or more memory than there is: the library's reader says what is wrong
  });
  std::size_t kept = 0;
  for (std::size_t k = 0; k < fine.size(); ++k)
    if (fine[k]) std::swap(out.columns[kept++], out.columns[k]);
  out.columns.resize(kept);
  return true;
}

}  // namespace nubrek
