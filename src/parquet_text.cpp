#include "parquet_text.h"
#include <cstdio>
#include <cstring>
#include <memory>

namespace nubrek {
namespace {

using Byte = std::uint8_t;
[[noreturn]] void refuse(const char* why) {
  throw ParquetRefused(why);
}

struct Bytes {
  const Byte* p;
  const Byte* end;
  std::size_t left() const { return static_cast<std::size_t>(end - p); }
  const Byte* take(std::size_t n) {
    if (left() < n) refuse("cut short");
    const Byte* at = p;
    p += n;
    return at;
  }
  std::uint32_t number32() {
    std::uint32_t n;
    std::memcpy(&n, take(4), 4);
    return n;
  }
  std::uint64_t varint() {
    std::uint64_t n = 0;
    for (int shift = 0; shift < 64; shift += 7) {
      const Byte b = *take(1);
      n |= static_cast<std::uint64_t>(b & 0x7F) << shift;
      if (!(b & 0x80)) return n;
    }
    refuse("a number without end");
  }
  std::int64_t zigzag() {
    const std::uint64_t n = varint();
    return static_cast<std::int64_t>(n >> 1) ^ -static_cast<std::int64_t>(n & 1);
  }
};

// The compact serialisation of the footer and the page headers: fields by number, each with its
// type.
enum Type {
  kTrue = 1,
  kFalse = 2,
  kByte = 3,
  kDouble = 7,
  kBinary = 8,
  kList = 9,
  kSet = 10,
  kMap = 11,
  kStruct = 12
};
void skip(Bytes& in, int type, int depth = 0);

template <class Field>
void read_struct(Bytes& in, const Field& field) {
  for (int id = 0;;) {
    const Byte head = *in.take(1);
    if (head == 0) return;
    id = head >> 4 ? id + (head >> 4) : static_cast<int>(in.zigzag());
    const int type = head & 15;
    if (!field(id, type)) skip(in, type);
  }
}

template <class Item>
void read_list(Bytes& in, const Item& item) {
  const Byte head = *in.take(1);
  const std::uint64_t n = head >> 4 == 15 ? in.varint() : head >> 4;
  for (std::uint64_t i = 0; i < n; ++i) item(head & 15);
}

void skip(Bytes& in, int type, int depth) {
  if (depth > 30) refuse("too deep");
  switch (type) {
    case kTrue:
    case kFalse:
      return;
    case kByte:
      in.take(1);
      return;
    case 4:
    case 5:
    case 6:
      in.varint();
      return;
    case kDouble:
      in.take(8);
      return;
    case kBinary:
      in.take(static_cast<std::size_t>(in.varint()));
      return;
    case kList:
    case kSet:
      read_list(in, [&](int of) {
        if (of == kTrue || of == kFalse)
          in.take(1);
        else
          skip(in, of, depth + 1);
      });
      return;
    case kStruct:
      read_struct(in, [&](int, int of) {
        skip(in, of, depth + 1);
        return true;
      });
      return;
    default:
      refuse("a type that is not known");
  }
}

std::string text_of(Bytes& in) {
  const std::size_t n = static_cast<std::size_t>(in.varint());
  return {reinterpret_cast<const char*>(in.take(n)), n};
}

struct File {
  explicit File(const std::string& path) : handle(std::fopen(path.c_str(), "rb"), &std::fclose) {
    if (!handle) refuse("cannot be opened");
  }
  std::vector<Byte> read(std::int64_t from, std::int64_t n) {
    if (from < 0 || n < 0) refuse("a place outside the file");
    std::vector<Byte> out(static_cast<std::size_t>(n));
    if (std::fseek(handle.get(), static_cast<long>(from), SEEK_SET) != 0 ||
        std::fread(out.data(), 1, out.size(), handle.get()) != out.size())
      refuse("cut short");
    return out;
  }
  std::int64_t size() {
    std::fseek(handle.get(), 0, SEEK_END);
    return std::ftell(handle.get());
  }
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> handle;
};

ParquetColumn schema_element(Bytes& in, bool& nested, bool& text_kind) {
  ParquetColumn out;
  int physical = -1, converted = -1;
  bool string_kind = false;
  read_struct(in, [&](int id, int type) {
    switch (id) {
      case 1:
        physical = static_cast<int>(in.zigzag());
        return true;
      case 3: {
        const auto repetition = in.zigzag();
        out.optional = repetition == 1;
        nested = nested || repetition == 2;
        return true;
      }
      case 4:
        out.name = text_of(in);
        return true;
      case 5:
        nested = nested || in.zigzag() > 0;
        return true;
      case 6:
        converted = static_cast<int>(in.zigzag());
        return true;
      case 10:
        if (type != kStruct) return false;
        read_struct(in, [&](int kind, int of) {
          string_kind = string_kind || kind == 1;
          skip(in, of);
          return true;
        });
        return true;
      default:
        return false;
    }
  });
  text_kind = physical == 6 && (converted == 0 || string_kind);
  return out;
}

ParquetChunk column_chunk(Bytes& in) {
  ParquetChunk out;
  std::int64_t data = 0, dictionary = 0;
  read_struct(in, [&](int id, int type) {
    if (id != 3 || type != kStruct) return false;
    read_struct(in, [&](int field, int) {
      switch (field) {
        case 4:
          out.codec = static_cast<int>(in.zigzag());
          return true;
        case 5:
          out.values = in.zigzag();
          return true;
        case 7:
          out.bytes = in.zigzag();
          return true;
        case 9:
          data = in.zigzag();
          return true;
        case 11:
          dictionary = in.zigzag();
          return true;
        default:
          return false;
      }
    });
    return true;
  });
  out.from = dictionary > 0 && dictionary < data ? dictionary : data;
  return out;
}

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
  std::uint32_t next() {
    while (run_ == 0 && packed_ == 0) {
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

std::string_view plain_text(Bytes& in) {
  const std::size_t n = in.number32();
  return {reinterpret_cast<const char*>(in.take(n)), n};
}

// One run of pages of one column.
class ChunkReader {
 public:
  ChunkReader(const std::vector<Byte>& bytes, const ParquetColumn& column, int codec, int missing,
              Coder& coder, std::vector<int>& out)
      : in_{bytes.data(), bytes.data() + bytes.size()},
        optional_(column.optional),
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
    for (std::int64_t i = 0; i < head.values; ++i) words_.push_back(plain_text(page));
    codes_.assign(words_.size(), 0);
  }
  void data(const PageHeader& head, Bytes levels, Bytes page) {
    const std::size_t n = static_cast<std::size_t>(head.values);
    present_.assign(n, 1);
    std::size_t there = n;
    if (optional_) {
      SmallNumbers level(levels, 1);
      there = 0;
      for (auto& one : present_) {
        one = static_cast<char>(level.next());
        there += one != 0;
      }
    }
    found_.resize(there);
    if (head.encoding == 0) {
      texts_.clear();
      for (std::size_t i = 0; i < there; ++i) texts_.push_back(plain_text(page));
      coder_.code(texts_.data(), there, found_.data());
    } else if (head.encoding == 2 || head.encoding == 8) {
      SmallNumbers index({page.p + (page.left() > 0), page.end}, page.left() > 0 ? *page.p : 0);
      for (std::size_t i = 0; i < there; ++i) {
        const std::uint32_t at = index.next();
        if (at >= words_.size()) refuse("a word outside the dictionary");
        if (codes_[at] == 0) coder_.code(&words_[at], 1, &codes_[at]);
        found_[i] = codes_[at];
      }
    } else
      refuse("another encoding");
    std::size_t next = 0;
    for (const char one : present_) out_.push_back(one ? found_[next++] : missing_);
  }

  Bytes in_;
  const bool optional_;
  const int codec_, missing_;
  Coder& coder_;
  std::vector<int>& out_;
  std::vector<Byte> dictionary_bytes_, page_bytes_;
  std::vector<std::string_view> words_, texts_;
  std::vector<int> codes_, found_;
  std::vector<char> present_;
};

}  // namespace

ParquetTable parquet_table(const std::string& path) {
  File file(path);
  const std::int64_t size = file.size();
  if (size < 12) refuse("too small");
  const std::vector<Byte> tail = file.read(size - 8, 8);
  std::uint32_t length;
  std::memcpy(&length, tail.data(), 4);
  if (std::memcmp(tail.data() + 4, "PAR1", 4) != 0 || static_cast<std::int64_t>(length) > size - 12)
    refuse("no footer");
  const std::vector<Byte> footer = file.read(size - 8 - static_cast<std::int64_t>(length), length);
  Bytes in{footer.data(), footer.data() + footer.size()};
  ParquetTable out;
  bool root = true, nested = false;
  read_struct(in, [&](int id, int type) {
    if (id == 2 && type == kList) {
      read_list(in, [&](int) {
        bool text = false, inner = false;
        ParquetColumn column = schema_element(in, inner, text);
        if (root) {
          root = false;
          return;
        }
        nested = nested || inner;
        column.text = text;
        out.columns.push_back(std::move(column));
      });
      return true;
    }
    if (id == 3) {
      out.rows = in.zigzag();
      return true;
    }
    if (id != 4 || type != kList) return false;
    read_list(in, [&](int) {
      read_struct(in, [&](int field, int of) {
        if (field != 1 || of != kList) return false;
        std::size_t k = 0;
        read_list(in, [&](int) {
          const ParquetChunk chunk = column_chunk(in);
          if (k >= out.columns.size()) refuse("more columns than names");
          out.columns[k++].chunks.push_back(chunk);
        });
        return true;
      });
    });
    return true;
  });
  if (nested) refuse("columns within columns");
  return out;
}

void code_parquet_column(const std::string& path, const ParquetColumn& column, int missing,
                         Coder& coder, std::vector<int>& out) {
  File file(path);
  for (const ParquetChunk& chunk : column.chunks) {
    const std::vector<Byte> bytes = file.read(chunk.from, chunk.bytes);
    ChunkReader(bytes, column, chunk.codec, missing, coder, out).read(chunk.values);
  }
}

}  // namespace nubrek
